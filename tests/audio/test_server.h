#pragma once

#include <jack/jack.h>

#include <atomic>
#include <cstddef>
#include <memory>
#include <string>
#include <vector>

namespace lalometer::test {

/// A sound server without a sound card (jackd's dummy driver), started for a test program.
class TestServer {
 public:
  TestServer();
  TestServer(const TestServer&) = delete;
  TestServer& operator=(const TestServer&) = delete;
  ~TestServer();
  /// Empty where it runs; otherwise why not.
  [[nodiscard]] const std::string& trouble() const { return trouble_; }
  /// Kills it, as when an interface is pulled out.
  void kill();

 private:
  int pid_ = 0;
  std::string trouble_;
};

/// A device under test as a client of that server: what it is sent comes back on its first output
/// delayed and scaled, and untouched on its second one (the loopback).
class DeviceUnderTest {
 public:
  struct Behaviour {
    std::size_t delay = 240;  ///< samples, at most 4095
    float gain = 0.5F;
    /// Counted from the first sample that is not silent.
    std::size_t fault_at = 0;
    int lost = 0;       ///< samples that vanish there, on both outputs
    int doubled = 0;    ///< samples that come twice
    float rail = 1e9F;  ///< clips beyond
  };
  explicit DeviceUnderTest(const std::string& name);
  DeviceUnderTest(const DeviceUnderTest&) = delete;
  DeviceUnderTest& operator=(const DeviceUnderTest&) = delete;
  ~DeviceUnderTest();

  void behave(const Behaviour& behaviour);
  /// What it was sent, by number of the sample; the last 2^16 are remembered.
  [[nodiscard]] float sent(std::size_t at) const { return memory_[at % memory_.size()]; }
  [[nodiscard]] std::size_t sent_count() const { return sent_.load(); }

 private:
  static int process(jack_nframes_t frames, void* self);

  jack_client_t* client_;
  jack_port_t* in_;
  jack_port_t* measured_;
  jack_port_t* looped_;
  std::atomic<const Behaviour*> behaviour_;
  std::vector<std::unique_ptr<Behaviour>> kept_;
  const Behaviour* at_work_ = nullptr;
  std::vector<float> memory_;
  std::size_t written_ = 0;
  std::atomic<std::size_t> sent_ = 0;
  std::size_t read_ = 0;
  std::size_t since_sound_ = 0;
  bool sounded_ = false;
  bool stumbled_ = false;
};

/// A microphone that is a client, and so an interface, of its own: it hears what another one was
/// sent, by a clock that runs `ppm` faster.
class OwnClockMicrophone {
 public:
  OwnClockMicrophone(const std::string& name, const DeviceUnderTest& heard, double ppm);
  OwnClockMicrophone(const OwnClockMicrophone&) = delete;
  OwnClockMicrophone& operator=(const OwnClockMicrophone&) = delete;
  ~OwnClockMicrophone();

 private:
  static int process(jack_nframes_t frames, void* self);

  jack_client_t* client_;
  jack_port_t* out_;
  const DeviceUnderTest& heard_;
  double step_;
  double at_ = -1.0;
};

}  // namespace lalometer::test
