#include "desk/capture/wired_rig.h"

#include <QSettings>

#include "rig/audio/port_audio_device.h"
#include "workbench/practice/demo_book.h"

namespace lalometer {

/// Takes ask for "the measuring input" and "the loopback"; which channels these are is the
/// wiring's.
class WiredRig::Wired final : public AudioDevice {
 public:
  Wired(AudioDevice& device, const RigWiring& wiring, bool practice)
      : device_(device), wiring_(wiring), practice_(practice) {}
  DeviceAbility ability() const override { return device_.ability(); }
  Result<void> prepare(const StreamSetup& setup) override {
    if (practice_) return device_.prepare(setup);
    StreamSetup wired = setup;
    wired.measure_input =
        setup.hookup == Hookup::kImpedanceJig ? wiring_.jig_input : wiring_.measure_input;
    if (setup.loopback_input != StreamSetup::kNoLoopback)
      wired.loopback_input = wiring_.loopback_input;
    if (setup.second_output < 0) {
      wired.output = wiring_.output;
    } else {
      wired.output = std::max(0, wiring_.output);
      wired.second_output = wiring_.second_output;
    }
    return device_.prepare(wired);
  }
  double input_rate_hz() const override { return device_.input_rate_hz(); }
  void stop() override { device_.stop(); }

 private:
  Result<Recording> do_run(const Playing& output, std::stop_token stop, const Progress& progress,
                           const Arrivals& arrivals) override {
    return device_.run(output, std::move(stop), progress, arrivals);
  }
  AudioDevice& device_;
  RigWiring wiring_;
  bool practice_;
};

WiredRig::WiredRig(Work& work, QObject* parent)
    : QObject(parent), bench_(std::make_unique<PracticeBench>(demo_bench(false))) {
  bench_->setup().pace = 1.0;
  const QSettings settings;
  RigWiring w;
  w.interface_key = settings.value(QStringLiteral("bench/interface")).toString().toStdString();
  w.sample_rate_hz = settings.value(QStringLiteral("bench/rate"), 48000.0).toDouble();
  w.output = settings.value(QStringLiteral("bench/output"), w.output).toInt();
  w.measure_input = settings.value(QStringLiteral("bench/measure"), 0).toInt();
  w.loopback_input = settings.value(QStringLiteral("bench/loopback"), 1).toInt();
  w.jig_input = settings.value(QStringLiteral("bench/jig"), 0).toInt();
  w.table = static_cast<RigWiring::Table>(
      settings.value(QStringLiteral("bench/table"), static_cast<int>(w.table)).toInt());
  w.serial.line = settings.value(QStringLiteral("bench/line")).toString().toStdString();
  w.serial.steps_per_degree = settings.value(QStringLiteral("bench/steps"), 0.0).toDouble();
  w.serial.home_switch = settings.value(QStringLiteral("bench/home"), false).toBool();
  w.serial.settle_s = settings.value(QStringLiteral("bench/settle"), 0.5).toDouble();
  w.serial.lowest_deg = settings.value(QStringLiteral("bench/lowest"), -180.0).toDouble();
  w.serial.highest_deg = settings.value(QStringLiteral("bench/highest"), 180.0).toDouble();
  wiring_ = w;
  make();
  // The run hears it by its token too; the output is silent at once.
  connect(&work, &Work::devicesStopped, this, [this] {
    if (claimed_) device().stop();
  });
}

WiredRig::~WiredRig() = default;

void WiredRig::make() {
  wired_.reset();
  real_.reset();
  serial_.reset();
  if (!isPractice()) real_ = std::make_unique<PortAudioDevice>(wiring_.interface_key);
  if (wiring_.table == RigWiring::Table::kSerial)
    serial_ = std::make_unique<GcodeTurntable>(wiring_.serial);
  wired_ = std::make_unique<Wired>(isPractice() ? *bench_ : *real_, wiring_, isPractice());
}

void WiredRig::setWiring(const RigWiring& w) {
  if (claimed_) return;
  wiring_ = w;
  QSettings settings;
  settings.setValue(QStringLiteral("bench/interface"), QString::fromStdString(w.interface_key));
  settings.setValue(QStringLiteral("bench/rate"), w.sample_rate_hz);
  settings.setValue(QStringLiteral("bench/output"), w.output);
  settings.setValue(QStringLiteral("bench/measure"), w.measure_input);
  settings.setValue(QStringLiteral("bench/loopback"), w.loopback_input);
  settings.setValue(QStringLiteral("bench/jig"), w.jig_input);
  settings.setValue(QStringLiteral("bench/table"), static_cast<int>(w.table));
  settings.setValue(QStringLiteral("bench/line"), QString::fromStdString(w.serial.line.string()));
  settings.setValue(QStringLiteral("bench/steps"), w.serial.steps_per_degree);
  settings.setValue(QStringLiteral("bench/home"), w.serial.home_switch);
  settings.setValue(QStringLiteral("bench/settle"), w.serial.settle_s);
  settings.setValue(QStringLiteral("bench/lowest"), w.serial.lowest_deg);
  settings.setValue(QStringLiteral("bench/highest"), w.serial.highest_deg);
  make();
  emit changed();
}

namespace {
QString cautions_key(const RigWiring& wiring) {
  // Slashes would make groups of it.
  return QStringLiteral("cautions/") +
         QString::fromStdString(wiring.interface_key).replace(QLatin1Char('/'), QLatin1Char('_'));
}
}  // namespace

bool WiredRig::cautionsDue() {
  // The practice bench harms nobody.
  if (isPractice() || QSettings().value(cautions_key(wiring_), false).toBool()) return false;
  emit cautionsAsked();
  return true;
}

bool WiredRig::claim() {
  if (claimed_ || cautionsDue()) return false;
  claimed_ = true;
  return true;
}

void WiredRig::acknowledgeCautions() {
  QSettings().setValue(cautions_key(wiring_), true);
}

AudioDevice& WiredRig::device() {
  return *wired_;
}

Turntable* WiredRig::table() {
  switch (wiring_.table) {
    case RigWiring::Table::kByHand:
      return nullptr;
    case RigWiring::Table::kPractice:
      return &practice_table_;
    case RigWiring::Table::kSerial:
      return serial_.get();
  }
  return nullptr;
}

void WiredRig::aim(const TakeRequest& r) {
  if (!isPractice()) return;
  PracticeRoom& room = bench_->setup().room;
  // What a hand would have done: the driver out of its box, a mass on its cone, or a test box.
  const std::vector<PracticeWay>& ways = bench_->setup().speaker.ways;
  const bool bare =
      r.condition == "free-air" || r.condition == "added-mass" || r.condition == "test-box";
  bench_->setup().bare_driver.reset();
  if (bare && r.kind == TakeKind::kImpedance && !ways.empty())
    bench_->setup().bare_driver =
        PracticeBareDriver{r.source.empty() ? ways.front().id : r.source,
                           r.condition == "added-mass" ? r.added_mass_g / 1e3 : 0.0,
                           r.condition == "test-box" ? r.test_box_l / 1e3 : 0.0};
  const bool near = r.kind == TakeKind::kNearField;
  room.near_source = near ? r.source : std::string();
  room.distance_m = near ? room.distance_m : r.distance_m;
  const bool vertical = r.vertical_deg != 0.0;
  const double turned = wiring_.table == RigWiring::Table::kPractice
                            ? practice_table_.true_deg()
                            : (vertical ? r.vertical_deg : r.horizontal_deg);
  room.horizontal_deg = vertical ? 0.0 : turned;
  room.vertical_deg = vertical ? turned : 0.0;
}

}  // namespace lalometer
