// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QLabel>
#include <QLayout>
#include <vector>

namespace tess {

/// Words and chips that wrap like text.
class FlowLayout : public QLayout {
public:
  explicit FlowLayout(QWidget* parent, int gap = 3) : QLayout(parent), m_gap(gap) {}
  ~FlowLayout() override {
    while (auto* i = takeAt(0)) delete i;
  }
  void addItem(QLayoutItem* i) override { m_items.push_back(i); }
  int count() const override { return static_cast<int>(m_items.size()); }
  QLayoutItem* itemAt(int i) const override {
    return i >= 0 && i < count() ? m_items[static_cast<std::size_t>(i)] : nullptr;
  }
  QLayoutItem* takeAt(int i) override {
    if (i < 0 || i >= count()) return nullptr;
    auto* x = m_items[static_cast<std::size_t>(i)];
    m_items.erase(m_items.begin() + i);
    return x;
  }
  Qt::Orientations expandingDirections() const override { return {}; } // cards stay as high as their words
  bool hasHeightForWidth() const override { return true; }
  int heightForWidth(int w) const override { return arrange(QRect(0, 0, w, 0), false); }
  void setGeometry(const QRect& r) override {
    QLayout::setGeometry(r);
    arrange(r, true);
  }
  QSize sizeHint() const override { return minimumSize(); }
  /// That of all in one line.
  int widthOfLine() const {
    int w = 0;
    for (auto* i : m_items) w += i->sizeHint().width() + (w ? m_gap : 0);
    return w;
  }
  QSize minimumSize() const override {
    QSize s;
    for (auto* i : m_items) s = s.expandedTo(i->minimumSize());
    return s;
  }

private:
  std::vector<QLayoutItem*> m_items;
  int m_gap;
  int arrange(const QRect& r, bool apply) const {
    int x = r.x(), y = r.y(), line = 0;
    for (auto* i : m_items) {
      QSize s = i->sizeHint();
      // Punctuation stands close to the word before it.
      auto* l = qobject_cast<QLabel*>(i->widget());
      if (l && x > r.x() && l->text().size() && QString(",:;.").contains(l->text()[0])) x -= 2;
      if (x > r.x() && x + s.width() > r.x() + r.width()) {
        x = r.x();
        y += line + 3;
        line = 0;
      }
      s.setWidth(std::min(s.width(), r.width()));
      if (apply) i->setGeometry(QRect(QPoint(x, y + std::max(0, (20 - s.height()) / 2)), s));
      x += s.width() + m_gap;
      line = std::max(line, std::max(20, s.height()));
    }
    return y + line - r.y();
  }
};

} // namespace tess
