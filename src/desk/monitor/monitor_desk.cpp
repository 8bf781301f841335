#include "desk/monitor/monitor_desk.h"

#include <QPainter>
#include <QTimer>
#include <cmath>
#include <mutex>

#include "workbench/taking/by_sound.h"

namespace lalometer {

struct MonitorDesk::Shared {
  Shared(const RigCalibration& rig, Hookup hookup, double rate, std::optional<double> tone)
      : meter(rig, hookup, rate, tone) {}
  std::mutex lock;
  LiveMeter meter;
};

MonitorDesk::MonitorDesk(CaptureController& capture, QWidget* parent)
    : QWidget(parent), capture_(capture), timer_(new QTimer(this)) {
  setObjectName(QStringLiteral("monitorDesk"));
  setAccessibleName(tr("Live spectrum"));
  timer_->setInterval(80);
  connect(timer_, &QTimer::timeout, this, &MonitorDesk::look);
  // Stopped is stopped: nothing starts again by itself.
  connect(&work(), &Work::devicesStopped, this, [this] { again_ = false; });
}

void MonitorDesk::setTheme(const Theme& theme) {
  theme_ = theme;
  update();
}

void MonitorDesk::start(const LiveSource& source, Hookup hookup) {
  source_ = source;
  hookup_ = hookup;
  if (running_) {
    again_ = true;
    work().stop(work_id_);
    return;
  }
  begin();
}

void MonitorDesk::begin() {
  const double rate = capture_.wired().wiring().sample_rate_hz;
  // One stretch of output is played over and over; a slow sweep starts anew each time.
  source_.seconds = source_.signal == LiveSignal::kSlowSweep ? 20.0 : 4.0;
  const auto output = live_signal(source_, capture_.rig(), rate);
  if (!output) {
    emit failed(QString::fromStdString(output.error().text()));
    emit stateChanged();
    return;
  }
  if (!capture_.wired().claim()) {
    if (capture_.wired().claimed()) emit failed(tr("The interface is in use by another run."));
    return;
  }
  const bool tone = source_.signal == LiveSignal::kTone;
  const auto tone_hz = tone ? std::optional(source_.frequency_hz) : std::nullopt;
  shared_ = std::make_shared<Shared>(capture_.rig(), hookup_, rate, tone_hz);
  running_ = true;
  timer_->start();
  TakeRequest aim;
  aim.distance_m = 1.0;
  capture_.wired().aim(aim);
  work_id_ = work().start<void>(
      this, {WorkKind::kDevice, WorkScope::kBook, {}},
      [shared = shared_, &device = capture_.wired().device(), rate, output = *output,
       hookup = hookup_, rig = capture_.rig(),
       tone_hz](const WorkContext& context) -> Result<void> {
        const TakeKind kind =
            hookup == Hookup::kImpedanceJig ? TakeKind::kImpedance : TakeKind::kResponse;
        if (auto ready = device.prepare(stream_of(rig, kind, rate)); !ready) return ready;
        // Inputs of their own may have a rate of their own.
        if (device.input_rate_hz() != rate) {
          const std::lock_guard held(shared->lock);
          shared->meter = LiveMeter(rig, hookup, device.input_rate_hz(), tone_hz);
        }
        while (!context.stop.stop_requested()) {
          const auto run =
              device.run(output, context.stop, {},
                         [&](std::span<const double> measured, std::span<const double> loopback) {
                           const std::lock_guard held(shared->lock);
                           shared->meter.take_up(measured, loopback);
                         });
          if (!run && run.error().code != ErrorCode::kCancelled) {
            device.stop();
            return tl::unexpected(run.error());
          }
        }
        device.stop();
        return {};
      },
      [this](const Result<void>& ended) {
        running_ = false;
        capture_.wired().release();
        timer_->stop();
        if (!ended && ended.error().code != ErrorCode::kCancelled)
          emit failed(QString::fromStdString(ended.error().text()));
        if (std::exchange(again_, false)) begin();
        emit stateChanged();
      });
  emit stateChanged();
}

void MonitorDesk::stop() {
  again_ = false;
  work().stop(work_id_);
}

Work& MonitorDesk::work() {
  return capture_.session().work();
}

void MonitorDesk::look() {
  if (!shared_) return;
  {
    const std::lock_guard held(shared_->lock);
    reading_ = shared_->meter.reading();
  }
  emit read();
  update();
}

void MonitorDesk::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.fillRect(rect(), theme_.sheet);
  p.setRenderHint(QPainter::Antialiasing);
  constexpr double kLow_hz = 20.0;
  constexpr double kHigh_hz = 20000.0;
  const bool jig = hookup_ == Hookup::kImpedanceJig;
  const double lowest = jig ? -100.0 : 0.0;
  const double highest = jig ? 20.0 : 120.0;
  const QRectF plot(56.0, 24.0, width() - 56.0 - 104.0, height() - 24.0 - 40.0);
  const auto x = [&](double f) {
    return plot.left() + plot.width() * std::log(f / kLow_hz) / std::log(kHigh_hz / kLow_hz);
  };
  const auto y = [&](double db) {
    return plot.bottom() - plot.height() * (db - lowest) / (highest - lowest);
  };
  p.setFont(text_font(11));
  for (double db = lowest; db <= highest + 0.1; db += 20.0) {
    p.setPen(QPen(theme_.faint, 1.0));
    p.drawLine(QPointF(plot.left(), y(db)), QPointF(plot.right(), y(db)));
    p.setPen(theme_.quiet);
    p.drawText(QRectF(0, y(db) - 8, 50, 16), Qt::AlignRight | Qt::AlignVCenter,
               QString::number(db));
  }
  p.drawText(QRectF(6, 4, 260, 16), Qt::AlignLeft,
             jig ? tr("dB re 1 V, 1/6-octave bands") : tr("dB SPL, 1/6-octave bands"));
  for (const double f :
       {20.0, 50.0, 100.0, 200.0, 500.0, 1000.0, 2000.0, 5000.0, 10000.0, 20000.0}) {
    p.setPen(QPen(theme_.faint, 1.0));
    p.drawLine(QPointF(x(f), plot.top()), QPointF(x(f), plot.bottom()));
    p.setPen(theme_.quiet);
    p.drawText(QRectF(x(f) - 30, plot.bottom() + 5, 60, 16), Qt::AlignCenter,
               f >= 1000.0 ? tr("%1 kHz").arg(f / 1000.0) : tr("%1 Hz").arg(f));
  }
  p.setPen(Qt::NoPen);
  for (std::size_t i = 0; i < reading_.band_hz.size(); ++i) {
    const double left = x(reading_.band_hz[i] * std::exp2(-1.0 / 12.0));
    const double right = x(reading_.band_hz[i] * std::exp2(1.0 / 12.0));
    const double top = y(std::clamp(reading_.band_db[i], lowest, highest));
    p.setBrush(theme_.accent);
    p.drawRect(QRectF(left + 0.5, top, right - left - 1.0, plot.bottom() - top));
  }
  // Both inputs against full scale, with the highest of the last three seconds.
  const auto meter = [&](double left, double peak, double hold, const QString& name) {
    const auto height = [&](double v) {
      return plot.height() *
             std::clamp(1.0 + 20.0 * std::log10(std::max(v, 1e-6)) / 60.0, 0.0, 1.0);
    };
    const QRectF frame(left, plot.top(), 18.0, plot.height());
    p.setPen(QPen(theme_.line, 1.0));
    p.setBrush(theme_.paper);
    p.drawRect(frame);
    p.setPen(Qt::NoPen);
    const bool over = hold >= 0.999;
    p.setBrush(over ? theme_.refuse : peak > 0.5 ? theme_.warn : theme_.accent);
    p.drawRect(QRectF(left + 2, plot.bottom() - height(peak), 14.0, height(peak)));
    p.setPen(QPen(over ? theme_.refuse : theme_.ink, 2.0));
    p.drawLine(QPointF(left, plot.bottom() - height(hold)),
               QPointF(left + 18, plot.bottom() - height(hold)));
    p.setPen(theme_.quiet);
    p.drawText(QRectF(left - 14, plot.bottom() + 5, 46, 16), Qt::AlignCenter, name);
    p.setPen(over ? theme_.refuse : theme_.ink);
    p.drawText(QRectF(left - 14, plot.top() - 18, 46, 16), Qt::AlignCenter,
               over          ? tr("clips")
               : hold > 1e-6 ? QString::number(20.0 * std::log10(hold), 'f', 0)
                             : QStringLiteral("–"));
  };
  meter(plot.right() + 24.0, reading_.measured_peak, reading_.measured_hold,
        jig ? tr("jig") : tr("mic"));
  meter(plot.right() + 68.0, reading_.loopback_peak, reading_.loopback_hold, tr("loopback"));
  if (!running_ && reading_.band_hz.empty()) {
    p.setPen(theme_.quiet);
    p.setFont(text_font(13));
    p.drawText(plot, Qt::AlignCenter,
               tr("Choose at the right what is played, then start. Silence only listens."));
  }
}

}  // namespace lalometer
