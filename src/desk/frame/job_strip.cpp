#include "desk/frame/job_strip.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QProgressBar>
#include <QPushButton>

namespace lalometer {

JobStrip::JobStrip(Work& work, QWidget* parent) : QFrame(parent), work_(work) {
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
  hide();
}

void JobStrip::begin(const QString& title) {
  running_ = true;
  title_->setText(title);
  bar_->setValue(0);
  QFrame::show();
}

void JobStrip::showShare(double share) {
  bar_->setValue(static_cast<int>(share * 1000.0));
}

void JobStrip::end(const Error* problem) {
  running_ = false;
  hide();
  if (problem != nullptr && problem->code != ErrorCode::kCancelled)
    emit failed(QString::fromStdString(problem->text()));
}

}  // namespace lalometer
