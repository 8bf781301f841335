#include "desk/pages/report_page.h"

#include <QAction>
#include <QPushButton>

#include "desk/parts/page_parts.h"

namespace lalometer {

ReportPage::ReportPage(const QList<QAction*>& actions, QWidget* parent) : QWidget(parent) {
  setObjectName(QStringLiteral("reportPage"));
  auto* layout = scrolled_page(this);
  layout->addWidget(role_label(tr("Take it with you"), "title", this));
  layout->addWidget(role_label(tr("Open formats only. What leaves the program is what is valid; "
                                  "the raw recordings stay in the book."),
                               "quiet", this));
  for (QAction* action : actions) {
    auto* button = new QPushButton(action->text(), this);
    // Long texts must not widen the page beyond its pane.
    button->setMinimumWidth(60);
    button->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Fixed);
    button->setToolTip(action->toolTip());
    connect(button, &QPushButton::clicked, action, &QAction::trigger);
    layout->addWidget(button);
  }
  layout->addStretch(1);
}

}  // namespace lalometer
