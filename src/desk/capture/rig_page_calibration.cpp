#include <QComboBox>
#include <QDoubleSpinBox>
#include <QLabel>
#include <QPushButton>
#include <QSpinBox>
#include <cmath>

#include "desk/capture/rig_page.h"
#include "workbench/taking/by_sound.h"

/// What the rig page does with the device: each step on a worker, which holds values only.
namespace lalometer {
namespace {

/// Volts at the terminals of the tone that a voltmeter reads: enough for its accuracy, little for a
/// loudspeaker.
constexpr double kTone_v = 1.0;
constexpr double kTone_hz = 100.0;

}  // namespace

RigPage::Calibrated RigPage::calibrated(RigCalibration rig) {
  return {std::move(rig)};
}

void RigPage::findLoopback() {
  const double rate = capture_.wired().wiring().sample_rate_hz;
  calibrate(tr("Looking for the loopback"),
            [rate](AudioDevice& device, RigCalibration rig,
                   const WorkContext& context) -> Result<Calibrated> {
              const int count = std::max(2, device.ability().input_count);
              return find_loopback(device, rate, count, context.stop)
                  .and_then([&](std::optional<int> input) -> Result<Calibrated> {
                    if (!input)
                      return fail(ErrorCode::kDevice,
                                  "No input hears the output unaltered: is the cable in?");
                    return Calibrated{rig, [input = *input](RigPage& page) {
                                        if (page.capture_.wired().isPractice()) return;
                                        page.loopback_->setValue(input + 1);
                                      }};
                  });
            });
}

void RigPage::tryTable() {
  calibrate(tr("Turning the table"),
            [table = capture_.wired().table()](AudioDevice&, RigCalibration rig,
                                               const WorkContext& context) -> Result<Calibrated> {
              if (table == nullptr) return fail(ErrorCode::kDevice, "It is turned by hand.");
              return table->prepare(context.stop)
                  .and_then([&] { return table->turn_to(30.0, context.stop); })
                  .and_then([&] { return table->turn_to(0.0, context.stop); })
                  .map([&] {
                    return Calibrated{rig, {}};
                  });
            });
}

void RigPage::haltTable() {
  session_.work().stop(work_id_);
  if (Turntable* table = capture_.wired().table()) table->stop();
  stage_->setText(tr("The table was halted. It has to find home again."));
}

void RigPage::readCalibrator() {
  const double level = calibrator_db_->value();
  const double rate = capture_.wired().wiring().sample_rate_hz;
  calibrate(tr("Listening to the calibrator"),
            [rate, level](AudioDevice& device, RigCalibration rig, const WorkContext& context) {
              // Calibrators sound at 1 kHz, pistonphones at 250 Hz.
              const auto at = [&](double hz) {
                return read_tone(device, stream_of(rig, TakeKind::kResponse, rate), hz, 0.0, 2.0,
                                 context.stop)
                    .and_then([&](const ToneReadings& heard) {
                      return with_sensitivity(rig, heard.measured, level, utc_now());
                    });
              };
              auto heard = at(1000.0);
              if (!heard && !context.stop.stop_requested()) {
                if (auto low = at(250.0)) heard = std::move(low);
              }
              return heard.map(calibrated);
            });
}

void RigPage::playTone() {
  const double rate = capture_.wired().wiring().sample_rate_hz;
  calibrate(tr("100 Hz is playing"),
            [rate](AudioDevice& device, RigCalibration rig, const WorkContext& context) {
              const double amplitude = std::sqrt(2.0) * kTone_v / rig.output_v_per_unit;
              return read_tone(device, stream_of(rig, TakeKind::kResponse, rate), kTone_hz,
                               amplitude, 3.5, context.stop)
                  .map([&](const ToneReadings& heard) {
                    return Calibrated{rig, [amplitude, heard](RigPage& page) {
                                        page.tone_amplitude_ = amplitude;
                                        page.tone_heard_ = heard.loopback;
                                      }};
                  });
            });
}

void RigPage::setAmplifier() {
  if (!tone_heard_) return stage_->setText(tr("Play the tone first."));
  const auto rig =
      with_amplifier(capture_.rig(), tone_amplitude_, volts_->value(), *tone_heard_, utc_now());
  if (!rig) return stage_->setText(QString::fromStdString(rig.error().message));
  capture_.setRig(*rig);
  stage_->setText(tr("2.83 V are 2.83 V now."));
}

void RigPage::compareInputs() {
  const double rate = capture_.wired().wiring().sample_rate_hz;
  calibrate(tr("Comparing the inputs"), [rate](AudioDevice& device, RigCalibration rig,
                                               const WorkContext& context) {
    return with_inputs(device, std::move(rig), rate, context.stop, utc_now()).map(calibrated);
  });
}

void RigPage::mendTakes() {
  if (!session_.isOpen()) return;
  session_.edit<std::size_t>(
      [rig = capture_.rig(), today = utc_now().substr(0, 10)](Book& book) {
        return mend_takes(book, rig, today);
      },
      [this](const Result<std::size_t>& count) {
        stage_->setText(
            count ? tr("%n takes are analysed with it.", nullptr, static_cast<int>(*count))
                  : QString::fromStdString(count.error().text()));
      });
}

void RigPage::calibrate(const QString& doing, CalibrationWork calibration) {
  if (busy_) return;
  if (!capture_.wired().claim()) {
    if (capture_.wired().claimed()) stage_->setText(tr("The interface is in use by another run."));
    return;
  }
  busy_ = true;
  stage_->setText(doing + QChar(0x2026));
  for (QPushButton* b : steps_of_calibration_) b->setEnabled(false);
  work_id_ = session_.work().start<Calibrated>(
      this, {WorkKind::kDevice, WorkScope::kBook, {}},
      [&device = capture_.wired().device(), rig = capture_.rig(),
       calibration = std::move(calibration)](const WorkContext& context) {
        return calibration(device, rig, context);
      },
      [this](const Result<Calibrated>& outcome) {
        busy_ = false;
        capture_.wired().release();
        if (capture_.wired().isPractice())
          capture_.practiceSetup().jig_load = PracticeBenchSetup::JigLoad::kSpeaker;
        for (QPushButton* b : steps_of_calibration_) b->setEnabled(true);
        if (!outcome) {
          stage_->setText(QString::fromStdString(outcome.error().text()));
          return;
        }
        stage_->setText(tr("Done."));
        RigCalibration rig = outcome->rig;
        if (outcome->then) outcome->then(*this);
        if (outcome->finish) {
          auto finished = outcome->finish(*this, std::move(rig));
          if (!finished) return stage_->setText(QString::fromStdString(finished.error().text()));
          rig = std::move(*finished);
        }
        capture_.setRig(rig);
      });
}

void RigPage::takeJig(int state) {
  if (busy_ || capture_.wired().claimed()) return;
  if (capture_.wired().isPractice()) {
    using Load = PracticeBenchSetup::JigLoad;
    capture_.practiceSetup().jig_load = state == 0   ? Load::kOpen
                                        : state == 1 ? Load::kShort
                                                     : Load::kKnown10Ohm;
  }
  calibrate(tr("Taking the jig"),
            [state, known = known_ohm_->value(), rate = capture_.wired().wiring().sample_rate_hz](
                AudioDevice& device, RigCalibration rig, const WorkContext& context) {
              return jig_ratio(device, rig, rate, context.stop).map([&](Response ratio) {
                Calibrated c{rig, {}};
                c.finish = [state, known, ratio = std::move(ratio)](
                               RigPage& page, RigCalibration now) -> Result<RigCalibration> {
                  auto& states = page.jig_states_;
                  states[state] = ratio;
                  if (!states[0] || !states[1] || !states[2]) return now;
                  return with_jig(now, *states[0], *states[1], *states[2], known, utc_now());
                };
                return c;
              });
            });
}

void RigPage::takeLeads(int state) {
  if (capture_.wired().isPractice())
    return stage_->setText(
        tr("The practice bench's inputs are alike; there are no leads to swap."));
  calibrate(tr("Taking the leads"),
            [state, rate = capture_.wired().wiring().sample_rate_hz](
                AudioDevice& device, RigCalibration rig, const WorkContext& context) {
              return input_ratio(device, rig, rate, context.stop).map([&](Response ratio) {
                Calibrated c{rig, {}};
                c.finish = [state, ratio = std::move(ratio)](
                               RigPage& page, RigCalibration now) -> Result<RigCalibration> {
                  page.leads_[state] = ratio;
                  if (!page.leads_[0] || !page.leads_[1]) return now;
                  return with_swapped_leads(now, *page.leads_[0], *page.leads_[1], utc_now());
                };
                return c;
              });
            });
}

}  // namespace lalometer
