#include "audio/test_server.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <signal.h>
#include <spawn.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <chrono>
#include <cmath>
#include <cstdlib>
#include <thread>

namespace lalometer::test {
namespace {

constexpr std::size_t kMemory = 1U << 16U;

void quiet(const char*) {}

}  // namespace

TestServer::TestServer() {
  if (std::getenv("CI") != nullptr) {
    trouble_ = "No sound server is started in CI.";
    return;
  }
  const std::string name = fmt::format("lalometer-test-{}", getpid());
  setenv("JACK_DEFAULT_SERVER", name.c_str(), 1);
  setenv("JACK_NO_AUDIO_RESERVATION", "1", 1);
  setenv("JACK_NO_START_SERVER", "1", 1);
  jack_set_error_function(quiet);
  jack_set_info_function(quiet);
  std::vector<std::string> words = {"jackd", "--no-realtime", "-n", name,  "-S", "-d", "dummy",
                                    "-r",    "48000",         "-p", "1024"};
  std::vector<char*> arguments;
  for (std::string& word : words) arguments.push_back(word.data());
  arguments.push_back(nullptr);
  posix_spawn_file_actions_t actions;
  posix_spawn_file_actions_init(&actions);
  posix_spawn_file_actions_addopen(&actions, 1, "/dev/null", O_WRONLY, 0);
  posix_spawn_file_actions_addopen(&actions, 2, "/dev/null", O_WRONLY, 0);
  const int failed = posix_spawnp(&pid_, "jackd", &actions, nullptr, arguments.data(), environ);
  posix_spawn_file_actions_destroy(&actions);
  if (failed != 0) {
    pid_ = 0;
    trouble_ = "jackd is not installed: the real audio path is not tested.";
    return;
  }
  for (int i = 0; i < 100; ++i) {
    std::this_thread::sleep_for(std::chrono::milliseconds(100));
    if (jack_client_t* probe = jack_client_open("probe", JackNoStartServer, nullptr)) {
      jack_client_close(probe);
      return;
    }
  }
  kill();
  trouble_ = "jackd did not start within 10 s: the real audio path is not tested.";
}

void TestServer::kill() {
  if (pid_ == 0) return;
  ::kill(pid_, SIGKILL);
  int status = 0;
  waitpid(pid_, &status, 0);
  pid_ = 0;
}

TestServer::~TestServer() {
  kill();
}

DeviceUnderTest::DeviceUnderTest(const std::string& name)
    : client_(jack_client_open(name.c_str(), JackNoStartServer, nullptr)), memory_(kMemory, 0.0F) {
  in_ = jack_port_register(client_, "in", JACK_DEFAULT_AUDIO_TYPE, JackPortIsInput, 0);
  measured_ = jack_port_register(client_, "measured", JACK_DEFAULT_AUDIO_TYPE, JackPortIsOutput, 0);
  looped_ = jack_port_register(client_, "looped", JACK_DEFAULT_AUDIO_TYPE, JackPortIsOutput, 0);
  behave({});
  jack_set_process_callback(client_, &DeviceUnderTest::process, this);
  jack_activate(client_);
}

DeviceUnderTest::~DeviceUnderTest() {
  jack_client_close(client_);
}

void DeviceUnderTest::behave(const Behaviour& behaviour) {
  kept_.push_back(std::make_unique<Behaviour>(behaviour));
  behaviour_.store(kept_.back().get());
}

int DeviceUnderTest::process(jack_nframes_t frames, void* self) {
  auto& d = *static_cast<DeviceUnderTest*>(self);
  const Behaviour* b = d.behaviour_.load();
  if (b != d.at_work_) {
    d.at_work_ = b;
    d.sounded_ = d.stumbled_ = false;
    d.since_sound_ = 0;
    d.read_ = d.written_;
  }
  const auto* in = static_cast<const float*>(jack_port_get_buffer(d.in_, frames));
  auto* measured = static_cast<float*>(jack_port_get_buffer(d.measured_, frames));
  auto* looped = static_cast<float*>(jack_port_get_buffer(d.looped_, frames));
  const auto remembered = [&](std::size_t at) { return d.memory_[at % kMemory]; };
  for (jack_nframes_t i = 0; i < frames; ++i) {
    d.memory_[d.written_++ % kMemory] = in[i];
    d.sent_.store(d.written_);
    d.sounded_ = d.sounded_ || in[i] != 0.0F;
    if (d.sounded_ && ++d.since_sound_ >= b->fault_at && !d.stumbled_ && b->fault_at > 0) {
      // The memory runs late by 4096, so that samples can be skipped as well as said twice.
      d.read_ += static_cast<std::size_t>(b->lost);
      d.read_ -= static_cast<std::size_t>(b->doubled);
      d.stumbled_ = true;
    }
    const std::size_t now = d.read_++ + kMemory - 8192;
    measured[i] = std::clamp(b->gain * remembered(now - b->delay), -b->rail, b->rail);
    looped[i] = remembered(now);
  }
  return 0;
}

OwnClockMicrophone::OwnClockMicrophone(const std::string& name, const DeviceUnderTest& heard,
                                       double ppm)
    : client_(jack_client_open(name.c_str(), JackNoStartServer, nullptr)),
      heard_(heard),
      step_(1.0 / (1.0 + 1e-6 * ppm)) {
  out_ = jack_port_register(client_, "out", JACK_DEFAULT_AUDIO_TYPE, JackPortIsOutput, 0);
  jack_set_process_callback(client_, &OwnClockMicrophone::process, this);
  jack_activate(client_);
}

OwnClockMicrophone::~OwnClockMicrophone() {
  jack_client_close(client_);
}

int OwnClockMicrophone::process(jack_nframes_t frames, void* self) {
  auto& m = *static_cast<OwnClockMicrophone*>(self);
  auto* out = static_cast<float*>(jack_port_get_buffer(m.out_, frames));
  constexpr double kBehind = 16384.0;  // room for either clock to run away for half a minute
  constexpr int kHalf = 16;
  if (m.at_ < 0.0) {
    const auto sent = static_cast<double>(m.heard_.sent_count());
    if (sent < 2.0 * kBehind) {
      std::fill_n(out, frames, 0.0F);
      return 0;
    }
    m.at_ = sent - kBehind;
  }
  for (jack_nframes_t i = 0; i < frames; ++i, m.at_ += m.step_) {
    // Windowed sinc.
    const double whole = std::floor(m.at_);
    double sum = 0.0;
    for (int k = -kHalf + 1; k <= kHalf; ++k) {
      const double d = m.at_ - whole - k;
      const double x = M_PI * d;
      const double sinc = std::abs(d) < 1e-9 ? 1.0 : std::sin(x) / x;
      const double window = std::pow(std::cos(0.5 * x / kHalf), 2);
      sum +=
          sinc * window * static_cast<double>(m.heard_.sent(static_cast<std::size_t>(whole + k)));
    }
    out[i] = static_cast<float>(0.5 * sum);
  }
  return 0;
}

}  // namespace lalometer::test
