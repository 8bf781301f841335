#include "desk/job_strip.h"

#include <QFutureWatcher>
#include <QHBoxLayout>
#include <QLabel>
#include <QProgressBar>
#include <QPushButton>
#include <QThreadPool>
#include <QtConcurrent>

namespace lalometer {

JobStrip::JobStrip(QWidget* parent) : QFrame(parent) {
  setObjectName(QStringLiteral("jobStrip"));
  auto* row = new QHBoxLayout(this);
  row->setContentsMargins(14, 5, 10, 5);
  title_ = new QLabel(this);
  bar_ = new QProgressBar(this);
  bar_->setRange(0, 1000);
  bar_->setTextVisible(false);
  auto* stop = new QPushButton(tr("Stop"), this);
  stop->setObjectName(QStringLiteral("jobStop"));
  row->addWidget(title_);
  row->addWidget(bar_, 1);
  row->addWidget(stop);
  connect(stop, &QPushButton::clicked, this, &JobStrip::stop);
  connect(this, &JobStrip::progressed, this,
          [this](double share) { bar_->setValue(static_cast<int>(share * 1000.0)); });
  hide();
}

JobStrip::~JobStrip() {
  stop();
  QThreadPool::globalInstance()->waitForDone();
}

bool JobStrip::start(const QString& title, Job job) {
  if (running_) return false;
  running_ = true;
  stop_ = std::stop_source();
  title_->setText(title);
  bar_->setValue(0);
  show();
  auto* watcher = new QFutureWatcher<Result<QString>>(this);
  connect(watcher, &QFutureWatcherBase::finished, this, [this, watcher] {
    watcher->deleteLater();
    finish(watcher->result());
  });
  watcher->setFuture(QtConcurrent::run([this, job = std::move(job), token = stop_.get_token()] {
    // The strip outlives its job: its destructor waits.
    return job(token, [this](double share) { emit progressed(share); });
  }));
  return true;
}

void JobStrip::finish(const Result<QString>& outcome) {
  running_ = false;
  hide();
  if (outcome)
    emit done(*outcome);
  else if (outcome.error().code != ErrorCode::kCancelled)
    emit failed(QString::fromStdString(outcome.error().text()));
}

}  // namespace lalometer
