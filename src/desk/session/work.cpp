#include "desk/session/work.h"

#include <QThread>

#include "desk/session/background.h"

namespace lalometer {

Work::Work(QObject* parent)
    : QObject(parent),
      owner_(
          [this](std::function<void()> message) {
            QMetaObject::invokeMethod(this, std::move(message), Qt::QueuedConnection);
          },
          static_cast<unsigned>(std::max(QThread::idealThreadCount(), 2)),
          [] { yield_to_window(); }) {}

Work::~Work() {
  owner_.shut_down();
}

void Work::stopDevices() {
  owner_.stop_devices();
  emit devicesStopped();
}

}  // namespace lalometer
