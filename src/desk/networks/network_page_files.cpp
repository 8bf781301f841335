#include <QComboBox>
#include <QFileDialog>
#include <QHBoxLayout>
#include <QPushButton>
#include <QSaveFile>

#include "desk/networks/network_page.h"
#include "desk/parts/page_parts.h"
#include "exchange/network/network_file.h"
#include "exchange/network/target_file.h"
#include "workbench/networks/out/filters_out.h"
#include "workbench/networks/out/network_export.h"
#include "workbench/telling/network/network_told.h"

/// What goes out of the network's page into files, and in.
namespace lalometer {

void NetworkPage::makeOut(QVBoxLayout* layout) {
  auto* row = new QHBoxLayout;
  QPushButton* parts = add_button(row, tr("Parts…"), "networkPartsOut", tr("As CSV."), this);
  QPushButton* file = add_button(row, tr("Network…"), "networkOut",
                                 tr("The file that the command line reads."), this);
  QPushButton* circuit =
      add_button(row, tr("Circuit…"), "networkCircuit", tr("A netlist for a SPICE."), this);
  row->addStretch(1);
  layout->addLayout(row);
  auto* more = new QHBoxLayout;
  QPushButton* open = add_button(more, tr("Open…"), "networkOpen",
                                 tr("A network's file, with its filters and WAV."), this);
  QPushButton* filters = add_button(more, tr("Filters…"), "networkFilters",
                                    tr("Biquads of the branches with amplifiers of their own; a "
                                       "name that ends in .wav gets their impulse responses."),
                                    this);
  more->addStretch(1);
  layout->addLayout(more);
  connect(open, &QPushButton::clicked, this, &NetworkPage::openNetwork);
  connect(filters, &QPushButton::clicked, this, &NetworkPage::saveFilters);
  connect(parts, &QPushButton::clicked, this, [this] {
    if (desk_.material() != nullptr)
      save(tr("Save the list of parts"), QStringLiteral("parts.csv"), tr("Tables (*.csv)"),
           parts_csv(part_loads(desk_.network(), desk_.material()->drivers, kNetworkPower_w)));
  });
  connect(file, &QPushButton::clicked, this, [this] {
    save(tr("Save the network"), QStringLiteral("network.json"), tr("Networks (*.json)"),
         json_text(told_of(desk_.network()), 2));
  });
  connect(circuit, &QPushButton::clicked, this, [this] {
    if (desk_.material() != nullptr)
      save(tr("Save the circuit"), QStringLiteral("network.cir"), tr("Circuits (*.cir)"),
           spice_netlist(desk_.network(), *desk_.material()));
  });
}

void NetworkPage::save(const QString& title, const QString& name, const QString& filter,
                       const std::string& text) {
  const QString path = QFileDialog::getSaveFileName(this, title, name, filter);
  if (path.isEmpty()) return;
  QSaveFile file(path);
  if (!file.open(QIODevice::WriteOnly) || file.write(QByteArray::fromStdString(text)) < 0 ||
      !file.commit())
    emit desk_.failed(tr("%1 could not be written: %2").arg(path, file.errorString()));
}

void NetworkPage::openTarget() {
  const QString path = QFileDialog::getOpenFileName(this, tr("A target: rows of Hz and dB"), {},
                                                    tr("Curves (*.frd *.txt *.csv)"));
  if (path.isEmpty()) {
    if (drawn_.empty()) target_->setCurrentIndex(0);
    return;
  }
  const auto drawn = read_target(path.toStdString());
  if (!drawn) {
    target_->setCurrentIndex(0);
    emit desk_.failed(QString::fromStdString(drawn.error().text()));
    return;
  }
  drawn_ = *drawn;
}

void NetworkPage::openNetwork() {
  const QString path =
      QFileDialog::getOpenFileName(this, tr("Open a network"), {}, tr("Networks (*.json)"));
  if (path.isEmpty()) return;
  const auto network = read_network(path.toStdString());
  if (!network) {
    emit desk_.failed(QString::fromStdString(network.error().text()));
    return;
  }
  desk_.choose(std::nullopt);
  desk_.change(*network, true);
}

void NetworkPage::saveFilters() {
  const QString path =
      QFileDialog::getSaveFileName(this, tr("Save the filters"), QStringLiteral("filters.json"),
                                   tr("Biquads (*.json *.txt);;Impulses (*.wav)"));
  if (path.isEmpty()) return;
  const auto written = write_filters(path.toStdString(), desk_.network());
  if (!written) emit desk_.failed(QString::fromStdString(written.error().text()));
}

}  // namespace lalometer
