// SPDX-License-Identifier: GPL-3.0-or-later
// The brief as a column of sentence cards made from the rule table: words and chips; a chip is edited in place.
#pragma once
#include "job/run.h"
#include <QStringList>
#include <QWidget>
#include <functional>

class QAction;
class QLabel;
class QLineEdit;
class QScrollArea;
class QStringListModel;
class QVBoxLayout;

namespace tess {

class BriefPanel : public QWidget {
  Q_OBJECT
public:
  explicit BriefPanel(QWidget* parent = nullptr);
  void show(const Brief& brief, const Part* part, const std::vector<ResolvedGroup>& groups, const RunResult* run,
            const std::vector<Problem>& problems);
  /// What rules would do, by their index; cards show it where there is no run to tell.
  void setPreviews(const std::vector<std::string>& texts);
  /// The same of one card while its value is typed; `wrong`: what is typed is no value.
  void showPreview(int rule, const QString& text, bool wrong);
  /// What stands below a card's sentence.
  QString below(int rule) const;
  QLineEdit* sayLine() const { return m_say; }
  /// Puts the cursor into the line, empty and with all that can be said on offer.
  void beginSaying();
  /// What the line answers to what stands in it; empty while it only offers.
  QString answer() const;
  /// Leaves the cards that hold its words; there when the cards are many.
  QLineEdit* filter() const { return m_filter; }
  /// What the line offers and does besides rules: the commands of the menus.
  void setCommands(const QList<QAction*>& commands, const std::vector<std::pair<QAction*, QString>>& further = {});
  /// All that the line offers now: rules, groups, commands.
  QStringList offers() const;
  /// Whether the filter leaves a rule's card.
  bool cardShown(int rule) const;
  /// Opens the editor of a chip; used by keys and tests.
  void editChip(int rule, const std::string& key);
  /// Scrolls to a card and lights it for a moment.
  void reveal(int rule);

signals:
  void sayingLeft(); ///< Esc in the line
  void valueChanged(int rule, const std::string& key, const std::string& value);
  /// A value while it is typed or scrubbed, before it counts.
  void valueTyped(int rule, const std::string& key, const std::string& value);
  void typingLeft(); ///< what was typed does not count
  void switched(int rule, bool off);
  void removed(int rule);
  void duplicated(int rule);
  void moved(int rule, int by);
  void noteChanged(int rule, const std::string& note);
  void unitChanged(const std::string& unit);
  /// A rule, with those of its values that were said.
  void ruleWanted(const std::string& kind, const std::map<std::string, std::string>& values = {});
  void notUnderstood(const tess::Problem& problem);
  void hovered(int rule);      ///< -1: none
  void selectWanted(int rule); ///< select what it is about
  void groupsWanted();         ///< propose groups

protected:
  void resizeEvent(QResizeEvent* e) override;
  bool eventFilter(QObject* o, QEvent* e) override;

private:
  /// A widget of the column. Its key holds all that it is made of: one with the same key serves again.
  struct Piece {
    QString key;
    int rule; ///< -1: none
    std::function<QWidget*()> make;
    QWidget* widget = nullptr;
  };
  struct Below { ///< what stands below a sentence
    QString text;
    bool wrong;
  };
  QScrollArea* m_scroll;
  QVBoxLayout* m_cards;
  QLineEdit *m_say, *m_filter;
  QStringListModel* m_offers;
  std::map<QString, std::function<void()>> m_offered; ///< by what is offered: what it does
  QList<QAction*> m_commands;
  std::vector<std::pair<QAction*, QString>> m_further; ///< commands by other words than their own
  QLabel* m_answer;                                    ///< below the line
  void leaveSaying();
  void answerSaying(const QString& line);
  const std::pair<const QString, std::function<void()>>* meant(const QString& line) const;
  std::vector<std::string> m_groupNames; ///< in the order of their rules
  std::vector<int> m_groupRules;
  std::string m_unit = "mm";
  void offer();
  void say(const QString& line);
  std::vector<Piece> m_pieces;
  std::vector<QWidget*> m_ruleCards;
  std::vector<std::string> m_previews; ///< by rule, of the brief as it last was
  std::vector<Rule> m_previewed;       ///< its rules
  void keepPreviews(const std::vector<Rule>& rules);
  bool m_unfitted = false; ///< heights may not be those of the words any more
  int m_fittedWidth = -1;
  void arrange(std::vector<Piece> pieces);
  void applyFilter();
  QWidget* partCard(const Part* part);
  QWidget* sectionHead(const QString& title, std::size_t unnamed);
  QWidget* ruleCard(int index, const Rule& r, const QString& overall, const QStringList& targets, const QColor& spine);
  void ruleMenu(int index, Rule r, QPoint at); ///< by value: the card may go while the menu is open
  Below belowOf(const Brief& brief, const Brief& plain, std::size_t i, const Part* part,
                const std::vector<ResolvedGroup>& groups, const RunResult* run,
                const std::vector<Problem>& problems) const;
  QLabel* belowLabel(int rule) const;
  void putBelow(int rule, const QString& text, bool wrong);
  void fitHeight();
  void fitTwice();
};

} // namespace tess
