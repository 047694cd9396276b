// SPDX-License-Identifier: GPL-3.0-or-later
// One line above everything that asks a person something without stopping them: a changed file, work left behind.
#pragma once
#include <QFrame>
#include <functional>
#include <vector>

class QHBoxLayout;
class QLabel;

namespace tess {

class NoticeBar : public QFrame {
  Q_OBJECT
public:
  explicit NoticeBar(QWidget* parent = nullptr);
  struct Choice {
    QString text;
    std::function<void()> act; ///< may be empty: only puts the notice away
  };
  /// Shows this. `key` names the matter, for dismiss(). A question that was not answered comes back afterwards; what
  /// only told something does not.
  void ask(const QString& key, const QString& text, std::vector<Choice> choices);
  /// Puts the notice away if it is about this matter.
  void dismiss(const QString& key);
  const QString& key() const { return m_now.key; }
  QString text() const;

private:
  struct Matter {
    QString key, text;
    std::vector<Choice> choices;
    bool question() const;
  };
  Matter m_now;
  std::vector<Matter> m_waiting; ///< questions, the latest last
  void present();
  QLabel* m_text;
  QHBoxLayout* m_row;
  std::vector<QWidget*> m_buttons;
};

} // namespace tess
