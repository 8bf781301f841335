#include "desk/pages/start_view.h"

#include <QPushButton>
#include <QVBoxLayout>

#include "desk/parts/page_parts.h"

namespace lalometer {

StartView::StartView(QWidget* parent) : QWidget(parent) {
  setObjectName(QStringLiteral("startView"));
  setAttribute(Qt::WA_StyledBackground);
  auto* outer = new QVBoxLayout(this);
  auto* inner = new QWidget(this);
  inner->setMaximumWidth(560);
  column_ = new QVBoxLayout(inner);
  column_->setSpacing(10);
  column_->addWidget(role_label(tr("What is on the bench?"), "title", inner));
  column_->addWidget(role_label(tr("This book is empty. Each of these is one step from its first "
                                   "take; nothing has to be filled in before."),
                                "quiet", inner));
  add("startLoudspeaker", tr("A loudspeaker"),
      tr("A response on the axis, a minute's work. Interface and microphone are chosen under "
         "Capture; the practice bench stands ready."),
      &StartView::loudspeakerAsked);
  add("startDriver", tr("A driver"),
      tr("Its impedance in free air, and from it fs, Q and the rest."), &StartView::driverAsked);
  add("startFiles", tr("Files: responses, impedances, recorded sweeps, measurement sets"),
      tr("Shown as they were understood before anything is taken. Dropping them here does it too."),
      &StartView::filesAsked);
  add("startDrawing", tr("Nothing yet but a drawing"),
      tr("Sizes alone predict edges, standing waves, port and beaming."), &StartView::drawingAsked);
  add("startPractice", tr("The practice bench"),
      tr("Mystery loudspeakers to learn reading on; no hardware needed."),
      &StartView::practiceAsked);
  outer->addStretch(2);
  outer->addWidget(inner, 0, Qt::AlignHCenter);
  outer->addStretch(3);
}

void StartView::add(const char* name, const QString& title, const QString& text,
                    void (StartView::*signal)()) {
  auto* button = new QPushButton(title, this);
  button->setObjectName(QLatin1String(name));
  button->setMinimumHeight(38);
  button->setStyleSheet(QStringLiteral("text-align: left; font-weight: 600; padding-left: 14px;"));
  connect(button, &QPushButton::clicked, this, signal);
  column_->addWidget(button);
  column_->addWidget(role_label(text, "quiet", this));
}

}  // namespace lalometer
