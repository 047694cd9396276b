// SPDX-License-Identifier: GPL-3.0-or-later
// The elements of a mesh by class as one bar with its shares in words: good, fair, poor, failing (hatched).
#pragma once
#include "audit/audit.h"
#include <QWidget>

namespace tess {

class ClassBar : public QWidget {
  Q_OBJECT
public:
  explicit ClassBar(QWidget* parent = nullptr);
  void setClasses(const std::array<std::size_t, kElementClasses>& classes);
  /// "good 92 % · fair 7 % · poor 1 %"; classes without elements are left out.
  QString text() const { return m_text; }
  QSize sizeHint() const override;
  bool hasHeightForWidth() const override { return true; }
  int heightForWidth(int w) const override; ///< the words take a second line where they must

protected:
  void paintEvent(QPaintEvent* event) override;

private:
  QFont small() const;
  std::array<std::size_t, kElementClasses> m_classes{};
  QString m_text;
};

} // namespace tess
