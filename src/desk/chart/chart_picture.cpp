#include "desk/chart/chart_picture.h"

#include <poppler-qt6.h>

#include <QBuffer>
#include <QImageReader>

namespace lalometer {

Result<ChartPage> chart_page(const QByteArray& bytes, const QString& name, int page, double dpi) {
  constexpr int kMostPixels = 100'000'000;
  if (bytes.startsWith("%PDF")) {
    const std::unique_ptr<Poppler::Document> document = Poppler::Document::loadFromData(bytes);
    if (!document || document->isLocked())
      return bad_input("This PDF cannot be opened (damaged, or behind a password).",
                       name.toStdString());
    const int pages = document->numPages();
    if (page < 1 || page > pages)
      return bad_input(fmt::format("This PDF has {} pages.", pages), name.toStdString());
    document->setRenderHint(Poppler::Document::Antialiasing);
    document->setRenderHint(Poppler::Document::TextAntialiasing);
    const std::unique_ptr<Poppler::Page> sheet(document->page(page - 1));
    if (!sheet) return bad_input("This page cannot be drawn.", name.toStdString());
    const QSizeF size = sheet->pageSizeF();  // in points
    if (size.width() * size.height() * dpi * dpi / (72.0 * 72.0) > kMostPixels) dpi = 100.0;
    QImage image = sheet->renderToImage(dpi, dpi);
    if (image.isNull()) return bad_input("This page cannot be drawn.", name.toStdString());
    return ChartPage{std::move(image), pages};
  }
  QBuffer buffer;
  buffer.setData(bytes);
  QImageReader reader(&buffer);
  reader.setAutoTransform(true);
  const QSize size = reader.size();
  if (size.isValid() && static_cast<qint64>(size.width()) * size.height() > kMostPixels)
    return bad_input("This picture is too large: over 100 million pixels.", name.toStdString());
  QImage image = reader.read();
  if (image.isNull())
    return bad_input("This is neither a picture (PNG, JPEG) nor a PDF.", name.toStdString());
  return ChartPage{std::move(image), 1};
}

ChartPixels pixels_of(const QImage& image) {
  const QImage rgb = image.convertToFormat(QImage::Format_RGB888);
  ChartPixels p{.width = rgb.width(), .height = rgb.height(), .rgb = {}};
  p.rgb.reserve(static_cast<std::size_t>(3 * p.width * p.height));
  for (int y = 0; y < p.height; ++y) {
    const uchar* row = rgb.constScanLine(y);
    p.rgb.insert(p.rgb.end(), row, row + 3 * p.width);
  }
  return p;
}

}  // namespace lalometer
