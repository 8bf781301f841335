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
  std::size_t read_ = 0;
  std::size_t since_sound_ = 0;
  bool sounded_ = false;
  bool stumbled_ = false;
};

}  // namespace lalometer::test
