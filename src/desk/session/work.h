#pragma once

#include <QObject>
#include <QPointer>
#include <utility>

#include "base/work_owner.h"

namespace lalometer {

/// The window's owner of work: WorkOwner, delivering to the interface thread. Everything slow, and
/// everything that sounds or turns, is started here. What was asked for by an object that is gone
/// meanwhile is dropped.
class Work : public QObject {
  Q_OBJECT
 public:
  explicit Work(QObject* parent = nullptr);
  ~Work() override;

  /// @param context  who asked; `deliver` may use it.
  /// @param work     Result<T>(const WorkContext&), on a worker; holds values only.
  /// @param deliver  void(Result<T>), on the interface thread, exactly once.
  template <class T, class Job, class Deliver>
  WorkId start(QObject* context, WorkSpec spec, Job work, Deliver deliver) {
    const QPointer<QObject> asker(context);
    if (spec.progressed) {
      spec.progressed = [asker, told = std::move(spec.progressed)](double share) {
        if (asker) told(share);
      };
    }
    const WorkId id =
        owner_.start<T>(std::move(spec), std::move(work),
                        [this, asker, deliver = std::move(deliver)](Result<T> outcome) mutable {
                          if (asker) deliver(std::move(outcome));
                          emit changed();
                        });
    emit changed();
    return id;
  }

  void stop(WorkId id) { owner_.stop(id); }
  /// The one Stop: whatever sounds falls silent, whatever turns stands still.
  void stopDevices();
  [[nodiscard]] bool devicesRunning() const { return owner_.running(WorkKind::kDevice); }
  [[nodiscard]] bool idle() const { return owner_.idle(); }
  [[nodiscard]] bool running(WorkId id) const { return owner_.running(id); }
  /// Another book was opened.
  void newGeneration() { owner_.new_generation(); }
  [[nodiscard]] std::uint64_t generation() const { return owner_.generation(); }
  void shutDown() { owner_.shut_down(); }

 signals:
  /// Something was started or delivered.
  void changed();
  /// Devices were told to stop: for what a token alone does not reach.
  void devicesStopped();

 private:
  WorkOwner owner_;
};

}  // namespace lalometer
