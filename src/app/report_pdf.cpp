// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/report_pdf.h"
#include "base/file.h"
#include <QAbstractTextDocumentLayout>
#include <QBuffer>
#include <QCoreApplication>
#include <QGuiApplication>
#include <QLocale>
#include <QPainter>
#include <QPdfWriter>
#include <QRegularExpression>
#include <QScreen>
#include <QTextBlock>
#include <QTextCursor>
#include <QTextDocument>
#include <QTextFrame>
#include <QTextTable>
#include <QUrl>
#include <algorithm>
#include <vector>

namespace tess {
namespace {

constexpr int kDpi = 300;             // fine enough for places of letters
constexpr double kMarginMm = 15;      // on all sides; the number of the page stands in the lower one
constexpr double kPictureShare = 0.6; // of a page's height, at most
constexpr double kFooterPoints = 8;
constexpr double kBelowTable = 14; // pixels of a screen, as all margins

/// Pictures are given in pixels of a screen: as wide as the text, or as high as may be.
void fitPictures(QTextDocument& document, const QSizeF& room) {
  for (QTextBlock b = document.begin(); b.isValid(); b = b.next())
    for (auto it = b.begin(); !it.atEnd(); ++it) {
      if (!it.fragment().charFormat().isImageFormat()) continue;
      QTextImageFormat f = it.fragment().charFormat().toImageFormat();
      QImage image = document.resource(QTextDocument::ImageResource, QUrl(f.name())).value<QImage>();
      if (image.isNull()) image.loadFromData(QByteArray::fromBase64(f.name().section(',', 1).toLatin1()));
      if (image.isNull()) continue;
      // Sizes of pictures are told in pixels of the screen, whatever the document is laid out for.
      const double pixel = QGuiApplication::primaryScreen()->logicalDotsPerInchY() / kDpi;
      const double scale =
          pixel * std::min(room.width() / image.width(), kPictureShare * room.height() / image.height());
      f.setWidth(scale * image.width());
      f.setHeight(scale * image.height());
      QTextCursor c(&document);
      c.setPosition(it.fragment().position());
      c.setPosition(it.fragment().position() + it.fragment().length(), QTextCursor::KeepAnchor);
      c.setCharFormat(f);
      break; // the block's pieces were made anew; there is one picture to a paragraph
    }
}

/// Where pages may end, and what is repeated when they end within a table. The library's own division cuts lines in two
/// where heads of tables are repeated.
class Pages {
public:
  Pages(const QTextDocument& document, double height) : m_layout(*document.documentLayout()), m_height(height) {
    bool afterHeading = false;
    QTextFrame* root = document.rootFrame();
    for (auto it = root->begin(); !it.atEnd(); ++it) {
      if (auto* table = qobject_cast<QTextTable*>(it.currentFrame())) {
        addTable(*table, !afterHeading);
        afterHeading = false;
      } else if (it.currentBlock().isValid()) {
        if (!afterHeading) m_ends.push_back({m_layout.blockBoundingRect(it.currentBlock()).top(), {}});
        afterHeading = it.currentBlock().blockFormat().headingLevel() > 0;
      }
    }
    m_end = m_layout.frameBoundingRect(root).bottom();
  }
  struct Page {
    double from, to;
    QRectF head; ///< repeated above it; null: none
  };
  std::vector<Page> divide() const {
    std::vector<Page> pages;
    QRectF head;
    for (double from = 0; from < m_end - 1;) {
      const double most = from + m_height - head.height();
      Page page{from, most, head}; // what is higher than a page is cut
      head = {};
      if (m_end <= most)
        page.to = m_end;
      else
        for (const End& e : m_ends)
          if (e.at > from + 1 && e.at <= most) {
            page.to = e.at;
            head = e.head;
          }
      from = page.to;
      pages.push_back(page);
    }
    return pages;
  }

private:
  struct End {
    double at;
    QRectF head;
  };
  const QAbstractTextDocumentLayout& m_layout;
  double m_height, m_end = 0;
  std::vector<End> m_ends; ///< from top to bottom

  void addTable(const QTextTable& table, bool before) {
    std::vector<std::pair<double, double>> rows; // top and bottom of the text of each
    for (int r = 0; r < table.rows(); ++r) {
      double top = 1e300, bottom = -1e300;
      for (int c = 0; c < table.columns(); ++c)
        for (auto it = table.cellAt(r, c).begin(); !it.atEnd(); ++it) {
          const QRectF box = m_layout.blockBoundingRect(it.currentBlock());
          top = std::min(top, box.top());
          bottom = std::max(bottom, box.bottom());
        }
      rows.push_back({top, bottom});
    }
    const QRectF all = m_layout.frameBoundingRect(const_cast<QTextTable*>(&table));
    if (before) m_ends.push_back({all.top(), {}});
    QRectF head;
    const bool headed = table.format().headerRowCount() > 0;
    for (std::size_t r = 0; r + 1 < rows.size(); ++r) {
      const double between = 0.5 * (rows[r].second + rows[r + 1].first);
      if (r == 0 && headed)
        head = QRectF(0, all.top(), all.right(), between - all.top());
      else
        m_ends.push_back({between, head});
    }
  }
};

} // namespace

QPageSize usualPage() {
  return QPageSize(QLocale().measurementSystem() == QLocale::ImperialUSSystem ? QPageSize::Letter : QPageSize::A4);
}

std::optional<Problem> writePdf(const QString& html, const QString& title, const QString& path, const QPageSize& page) {
  QBuffer bytes;
  bytes.open(QIODevice::WriteOnly);
  {
    QPdfWriter pdf(&bytes);
    pdf.setResolution(kDpi);
    pdf.setPageSize(page);
    pdf.setPageMargins(QMarginsF(kMarginMm, kMarginMm, kMarginMm, kMarginMm), QPageLayout::Millimeter);
    pdf.setTitle(title);
    const QSizeF room(pdf.width(), pdf.height());
    QTextDocument document;
    document.documentLayout()->setPaintDevice(&pdf); // points are points from here on
    document.setDocumentMargin(0);
    // The page's style centres it in a browser's window.
    document.setHtml(QString(html).replace(QRegularExpression("max-width: *[^;]*; *margin: *[^;]*;"), "margin: 0;"));
    QTextFrameFormat frame = document.rootFrame()->frameFormat();
    frame.setMargin(0);
    frame.setPadding(0);
    document.rootFrame()->setFrameFormat(frame);
    fitPictures(document, room);
    for (QTextFrame* f : document.rootFrame()->childFrames())
      if (auto* table = qobject_cast<QTextTable*>(f)) {
        QTextTableFormat format = table->format();
        format.setMargin(0);
        format.setBottomMargin(kBelowTable);
        table->setFormat(format);
      }
    document.setTextWidth(room.width());
    QPainter painter(&pdf);
    painter.setRenderHint(QPainter::LosslessImageRendering); // lines of meshes would blur
    QFont small = document.defaultFont();
    small.setPointSizeF(kFooterPoints);
    auto draw = [&](double from, double to, double at) {
      painter.save();
      painter.translate(0, at - from);
      QAbstractTextDocumentLayout::PaintContext context;
      context.clip = QRectF(0, from, room.width(), to - from);
      context.palette.setColor(QPalette::Text, Qt::black);
      painter.setClipRect(context.clip);
      document.documentLayout()->draw(&painter, context);
      painter.restore();
    };
    const auto pages = Pages(document, room.height()).divide();
    for (std::size_t i = 0; i < pages.size(); ++i) {
      if (i) pdf.newPage();
      const auto& p = pages[i];
      if (!p.head.isNull()) draw(p.head.top(), p.head.bottom(), 0);
      draw(p.from, p.to, p.head.height());
      painter.setFont(small);
      const double below = kMarginMm / 25.4 * kDpi;
      painter.drawText(QRectF(0, room.height(), room.width(), 0.7 * below), Qt::AlignRight | Qt::AlignVCenter,
                       QCoreApplication::translate("Report", "page %1 of %2").arg(i + 1).arg(pages.size()));
    }
  }
  return writeFileAtomic(path.toStdString(), bytes.data().toStdString());
}

} // namespace tess
