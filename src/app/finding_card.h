// SPDX-License-Identifier: GPL-3.0-or-later
// A finding as a card; many of one kind are one card to leaf through.
#pragma once
#include "base/problem.h"
#include <QFrame>

class QLabel;
class QToolButton;

namespace tess {

class FindingCard : public QFrame {
  Q_OBJECT
public:
  /// `alike`: at least one; `at`: the one that is shown first.
  FindingCard(std::vector<Problem> alike, std::size_t at);
  std::size_t at() const { return m_at; }
  std::size_t count() const { return m_alike.size(); }
  const Problem& shown() const { return m_alike[m_at]; }
  QToolButton* next() const { return m_next; }

signals:
  void showWanted(const Problem& p);
  void fixWanted(const Problem& p);
  void leafed(std::size_t at);

private:
  std::vector<Problem> m_alike;
  std::size_t m_at;
  QLabel *m_what, *m_why, *m_which = nullptr;
  QToolButton *m_show, *m_fix, *m_next = nullptr;
  void fill();
  void leaf(std::size_t by);
};

} // namespace tess
