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
  bool one_clock() const override { return device_.one_clock(); }
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

namespace {

/// Slashes would make groups of it.
QString group_of(const std::string& name) {
  return QStringLiteral("rigs/") +
         QString::fromStdString(name).replace(QLatin1Char('/'), QLatin1Char('_'));
}

RigWiring read_wiring(const QString& group) {
  const QSettings settings;
  const auto value = [&](const char* key, const QVariant& usual) {
    return settings.value(group + QLatin1Char('/') + QLatin1String(key), usual);
  };
  RigWiring w;
  w.name = value("name", QString()).toString().toStdString();
  w.interface_key = value("interface", QString()).toString().toStdString();
  w.output_key = value("output-interface", QString()).toString().toStdString();
  w.sample_rate_hz = value("rate", 48000.0).toDouble();
  w.output = value("output", w.output).toInt();
  w.second_output = value("second-output", 1).toInt();
  w.measure_input = value("measure", 0).toInt();
  w.loopback_input = value("loopback", 1).toInt();
  w.jig_input = value("jig", 0).toInt();
  w.table = static_cast<RigWiring::Table>(value("table", static_cast<int>(w.table)).toInt());
  w.serial.line = value("line", QString()).toString().toStdString();
  w.serial.steps_per_degree = value("steps", 0.0).toDouble();
  w.serial.home_switch = value("home", false).toBool();
  w.serial.settle_s = value("settle", 0.5).toDouble();
  w.serial.lowest_deg = value("lowest", -180.0).toDouble();
  w.serial.highest_deg = value("highest", 180.0).toDouble();
  return w;
}

void write_wiring(const QString& group, const RigWiring& w) {
  QSettings settings;
  const auto keep = [&](const char* key, const QVariant& value) {
    settings.setValue(group + QLatin1Char('/') + QLatin1String(key), value);
  };
  keep("name", QString::fromStdString(w.name));
  keep("interface", QString::fromStdString(w.interface_key));
  keep("output-interface", QString::fromStdString(w.output_key));
  keep("rate", w.sample_rate_hz);
  keep("output", w.output);
  keep("second-output", w.second_output);
  keep("measure", w.measure_input);
  keep("loopback", w.loopback_input);
  keep("jig", w.jig_input);
  keep("table", static_cast<int>(w.table));
  keep("line", QString::fromStdString(w.serial.line.string()));
  keep("steps", w.serial.steps_per_degree);
  keep("home", w.serial.home_switch);
  keep("settle", w.serial.settle_s);
  keep("lowest", w.serial.lowest_deg);
  keep("highest", w.serial.highest_deg);
}

}  // namespace

WiredRig::WiredRig(Work& work, QObject* parent)
    : QObject(parent), bench_(std::make_unique<PracticeBench>(demo_bench(false))) {
  bench_->setup().pace = 1.0;
  wiring_ = read_wiring(QStringLiteral("bench"));
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
  if (!isPractice())
    real_ = std::make_unique<PortAudioDevice>(wiring_.interface_key, wiring_.output_key);
  bench_->setup().own_input.reset();
  if (wiring_.interface_key == kPracticeMicrophone)
    bench_->setup().own_input =
        PracticeOwnInput{.clock_ppm = 73.0, .rate_hz = 44100.0, .inputs = 1};
  if (wiring_.table == RigWiring::Table::kSerial)
    serial_ = std::make_unique<GcodeTurntable>(wiring_.serial);
  wired_ = std::make_unique<Wired>(isPractice() ? *bench_ : *real_, wiring_, isPractice());
}

void WiredRig::setWiring(const RigWiring& w) {
  if (claimed_) return;
  wiring_ = w;
  write_wiring(QStringLiteral("bench"), w);
  if (!w.name.empty()) write_wiring(group_of(w.name), w);
  make();
  emit changed();
}

std::vector<RigWiring> WiredRig::kept() {
  QSettings settings;
  settings.beginGroup(QStringLiteral("rigs"));
  const QStringList names = settings.childGroups();
  settings.endGroup();
  // The practice bench is always at hand.
  RigWiring microphone;
  microphone.interface_key = kPracticeMicrophone;
  std::vector<RigWiring> all = {RigWiring{}, microphone};
  for (const QString& each : names) all.push_back(read_wiring(QStringLiteral("rigs/") + each));
  return all;
}

std::string WiredRig::nameOf(const RigWiring& w) {
  if (!w.name.empty()) return w.name;
  if (w.interface_key.empty()) return RigCalibration{}.rig_name;
  if (w.interface_key == kPracticeMicrophone) return "Practice microphone";
  const std::string plain = without_number(w.interface_key);
  const std::size_t colon = plain.find(": ");
  return colon == std::string::npos ? plain : plain.substr(colon + 2);
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
  const bool near = r.kind == TakeKind::kNearField ||
                    (r.kind == TakeKind::kSteadyTones && r.condition == "near-field");
  room.near_source = near ? r.source : std::string();
  room.only = near || r.kind == TakeKind::kImpedance ? std::string() : r.source;
  bench_->setup().flipped = r.flipped;
  room.distance_m = near ? room.distance_m : r.distance_m;
  const bool vertical = r.vertical_deg != 0.0;
  const double turned = wiring_.table == RigWiring::Table::kPractice
                            ? practice_table_.true_deg()
                            : (vertical ? r.vertical_deg : r.horizontal_deg);
  room.horizontal_deg = vertical ? 0.0 : turned;
  room.vertical_deg = vertical ? turned : 0.0;
}

}  // namespace lalometer
