// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/brief_panel.h"
#include "app/flow_layout.h"
#include "app/theme.h"
#include "app/widgets.h"
#include "base/units.h"
#include "job/cuts.h"
#include "job/say.h"
#include "job/values.h"
#include <QAbstractItemView>
#include <QAction>
#include <QCompleter>
#include <QEnterEvent>
#include <QFileInfo>
#include <QFrame>
#include <QInputDialog>
#include <QKeyEvent>
#include <QLabel>
#include <QLayout>
#include <QLineEdit>
#include <QMenu>
#include <QMouseEvent>
#include <QScrollArea>
#include <QStringListModel>
#include <QStyle>
#include <QTimer>
#include <QToolButton>
#include <QVBoxLayout>
#include <map>
#include <set>

namespace tess {
namespace {

/// A card that tells when the pointer is over it.
class Card : public QFrame {
public:
  explicit Card(const QColor& spine) {
    setObjectName("card");
    setStyleSheet(QString("QFrame#card { border-left: 4px solid %1; } QFrame#card[lit=\"true\"] { background: %2; }")
                      .arg(spine.name(), theme::dyed("#F3E7D3")));
  }
  std::function<void(bool)> onHover;
  QLabel* below = nullptr; ///< the line under the sentence

protected:
  void enterEvent(QEnterEvent*) override {
    if (onHover) onHover(true);
  }
  void leaveEvent(QEvent*) override {
    if (onHover) onHover(false);
  }
};

/// Editor of a chip: tells every change, and Esc leaves the value as it was.
class ChipEditor : public QLineEdit {
public:
  using QLineEdit::QLineEdit;
  std::function<void()> onLeave;

protected:
  bool event(QEvent* e) override {
    if (e->type() == QEvent::ShortcutOverride && static_cast<QKeyEvent*>(e)->key() == Qt::Key_Escape) {
      e->accept(); // here it means this editor, not the selection
      return true;
    }
    return QLineEdit::event(e);
  }
  void keyPressEvent(QKeyEvent* e) override {
    if (e->key() == Qt::Key_Escape) {
      if (onLeave) onLeave();
      return;
    }
    QLineEdit::keyPressEvent(e);
  }
};

/// A value in a sentence: click or Return to type, drag sideways or use up and down keys to change a number.
class Chip : public QToolButton {
public:
  using Take = std::function<void(const std::string&)>;
  Chip(const Slot& slot, const QString& text, Take commit, QStringList suggestions)
      : m_slot(slot), m_commit(std::move(commit)), m_suggestions(std::move(suggestions)) {
    setObjectName("chip");
    m_text = text;
    setText(shortened(text.isEmpty() ? QString("…") : text));
    setToolTip(ruleWords(slot.help));
    setAccessibleName(QString::fromStdString(slot.key) + " " + text);
    setCursor(numeric() ? Qt::SizeHorCursor : Qt::IBeamCursor);
    setFocusPolicy(Qt::StrongFocus);
    connect(this, &QToolButton::clicked, this, [this] {
      if (!m_scrubbed) edit();
      m_scrubbed = false;
    });
  }
  Take onTyped;                  ///< what is typed or scrubbed so far
  std::function<void()> onLeave; ///< typing ended without a new value
  void edit() {
    if (m_slot.type == SlotType::Choice) {
      QMenu menu;
      for (const auto& c : m_slot.choices) menu.addAction(QString::fromStdString(c));
      if (auto* a = menu.exec(mapToGlobal(QPoint(0, height())))) m_commit(a->text().toStdString());
      return;
    }
    auto* e = new ChipEditor(m_text, window());
    e->setObjectName("chipEditor");
    e->setAccessibleName(accessibleName());
    if (!m_suggestions.isEmpty()) {
      auto* c = new QCompleter(m_suggestions, e);
      c->setCaseSensitivity(Qt::CaseInsensitive);
      e->setCompleter(c);
    }
    QPoint at = mapTo(window(), QPoint(0, 0));
    e->setGeometry(at.x() - 2, at.y() - 3, std::max(width() + 30, 110), height() + 6);
    e->show();
    e->selectAll();
    e->setFocus();
    // The chip itself may be gone before its editor: a card is made anew when the brief changes.
    auto commit = m_commit, typed = onTyped;
    auto left = onLeave;
    auto done = std::make_shared<bool>(false);
    connect(e, &QLineEdit::editingFinished, e, [e, commit, left, done, before = m_text] {
      if (*done) return;
      *done = true;
      QString t = e->text();
      e->deleteLater();
      if (t != before)
        commit(t.toStdString());
      else if (left)
        left();
    });
    e->onLeave = [e, left, done] {
      *done = true;
      e->hide();
      e->deleteLater();
      if (left) left();
    };
    connect(e, &QLineEdit::textChanged, e, [typed](const QString& t) {
      if (typed) typed(t.toStdString());
    });
  }

protected:
  void mousePressEvent(QMouseEvent* e) override {
    m_from = e->position().x();
    m_scrubbed = false;
    QToolButton::mousePressEvent(e);
  }
  void mouseMoveEvent(QMouseEvent* e) override {
    if (numeric() && (e->buttons() & Qt::LeftButton) && std::abs(e->position().x() - m_from) > 5) {
      m_scrubbed = true;
      setText(scaled(std::pow(1.01, e->position().x() - m_from)));
      if (onTyped) onTyped(text().toStdString());
    }
  }
  void mouseReleaseEvent(QMouseEvent* e) override {
    if (m_scrubbed) {
      setDown(false);
      m_scrubbed = false;
      m_commit(text().toStdString());
      return;
    }
    QToolButton::mouseReleaseEvent(e);
  }
  void keyPressEvent(QKeyEvent* e) override {
    if (numeric() && (e->key() == Qt::Key_Up || e->key() == Qt::Key_Down))
      m_commit(scaled(e->key() == Qt::Key_Up ? 1.1 : 1 / 1.1).toStdString());
    else if (e->key() == Qt::Key_Return || e->key() == Qt::Key_Enter)
      edit();
    else
      QToolButton::keyPressEvent(e);
  }

private:
  Slot m_slot;
  QString m_text;
  std::function<void(const std::string&)> m_commit;
  QStringList m_suggestions;
  double m_from = 0;
  bool m_scrubbed = false;
  bool numeric() const {
    static const std::set<SlotType> numbers{SlotType::Length, SlotType::Size, SlotType::Number, SlotType::Integer,
                                            SlotType::Angle};
    if (!numbers.count(m_slot.type)) return false;
    char* end = nullptr;
    std::string s = m_text.toStdString();
    std::strtod(s.c_str(), &end);
    return end != s.c_str();
  }
  QString scaled(double f) const {
    std::string s = m_text.toStdString();
    char* end = nullptr;
    double v = std::strtod(s.c_str(), &end);
    if (m_slot.type == SlotType::Integer) { // by at least one
      double next = std::round(v * f);
      if (next == v) next += f > 1 ? 1 : -1;
      return QString::fromStdString(formatNumber(std::max(next, m_slot.low), 9)) + QString(end);
    }
    return QString::fromStdString(formatNumber(v * f, 3)) + QString(end);
  }
  static QString shortened(const QString& t) { return t.size() > 34 ? t.left(31) + "…" : t; }
};

QString factsOf(const Part& part) {
  const bool closed = std::all_of(part.bodies.begin(), part.bodies.end(), [](const PartBody& b) { return b.closed; });
  return BriefPanel::tr("%1 · %2 · %3 faces · %4")
      .arg(QString::fromStdString(part.sizeText()).replace(" x ", " × "))
      .arg(QString::fromStdString(bodiesText(part)))
      .arg(part.faces.size())
      .arg(part.unitAssumed ? BriefPanel::tr("unit assumed")
           : closed         ? BriefPanel::tr("closed")
                            : BriefPanel::tr("open"));
}

/// A bare number with the unit that it is meant in: a brief may leave it out, a card does not.
QString withUnit(const Slot& slot, const QString& value, const std::string& unit) {
  bool bare = false;
  value.toDouble(&bare);
  if (bare && slot.type == SlotType::Angle) return value + " deg";
  if (bare && (slot.type == SlotType::Length || slot.type == SlotType::Size))
    return value + " " + QString::fromStdString(unit);
  return value;
}

QString previewLine(const QString& text) { return text.isEmpty() ? text : BriefPanel::tr("will be %1").arg(text); }

QColor spineOf(const Rule& r, const std::vector<ResolvedGroup>& groups) {
  std::string name = r.kind == "group" ? r.get("name") : r.get("on");
  for (std::size_t g = 0; g < groups.size(); ++g)
    if (groups[g].name == name) return theme::group(static_cast<int>(g));
  if (r.kind == "fill") return QColor("#4B4F8A");
  if (r.kind == "hand_over") return theme::ink;
  return QColor("#8A929A");
}

} // namespace

BriefPanel::BriefPanel(QWidget* parent) : QWidget(parent) {
  setObjectName("paper");
  auto* outer = new QVBoxLayout(this);
  outer->setContentsMargins(0, 0, 0, 10);
  auto* above = new QHBoxLayout;
  above->setContentsMargins(12, 10, 12, 0);
  above->addWidget(m_filter = filterLine(tr("filter cards")));
  outer->addLayout(above);
  m_filter->hide();
  connect(m_filter, &QLineEdit::textChanged, this, [this] {
    applyFilter();
    fitTwice();
  });
  auto* scroll = m_scroll = new QScrollArea;
  scroll->setWidgetResizable(true);
  scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  auto* body = new QWidget;
  body->setObjectName("paper");
  m_cards = new QVBoxLayout(body);
  m_cards->setContentsMargins(12, 10, 10, 6);
  m_cards->setSpacing(5);
  scroll->setWidget(body);
  outer->addWidget(scroll, 1);
  m_say = new ChipEditor;
  m_say->setObjectName("say");
  static_cast<ChipEditor*>(m_say)->onLeave = [this] { leaveSaying(); };
  m_say->setPlaceholderText(tr("say what you need…   Ctrl+K"));
  m_say->setAccessibleName(tr("Say what you need"));
  m_offers = new QStringListModel(this);
  auto* c = new QCompleter(m_offers, m_say);
  c->setFilterMode(Qt::MatchContains);
  c->setCaseSensitivity(Qt::CaseInsensitive);
  c->setMaxVisibleItems(12);
  c->popup()->setObjectName("offers");
  c->popup()->setMinimumWidth(520); // wider than the column: what is offered is told with it
  c->popup()->installEventFilter(this);
  m_say->setCompleter(c);
  connect(c, qOverload<const QString&>(&QCompleter::activated), this, &BriefPanel::say, Qt::QueuedConnection);
  connect(m_say, &QLineEdit::returnPressed, this, [this] { say(m_say->text()); });
  connect(m_say, &QLineEdit::textChanged, this, &BriefPanel::answerSaying);
  offer();
  m_answer = styledLabel({}, "small");
  m_answer->hide();
  auto* below = new QVBoxLayout;
  below->setContentsMargins(12, 0, 12, 0);
  below->setSpacing(3);
  below->addWidget(m_say);
  below->addWidget(m_answer);
  outer->addLayout(below);
}

QString BriefPanel::answer() const { return m_answer->isHidden() ? QString() : m_answer->text(); }

void BriefPanel::beginSaying() {
  m_say->clear();
  m_say->setFocus(Qt::ShortcutFocusReason);
}

void BriefPanel::leaveSaying() {
  m_say->completer()->popup()->hide();
  m_say->clear();
  emit sayingLeft();
}

bool BriefPanel::eventFilter(QObject* o, QEvent* e) {
  // The list of offers has the keys while it is open; Esc means the line below it as well.
  if (e->type() == QEvent::KeyPress && o == m_say->completer()->popup() &&
      static_cast<QKeyEvent*>(e)->key() == Qt::Key_Escape) {
    leaveSaying();
    return true;
  }
  return QWidget::eventFilter(o, e);
}

/// The offer that a line means without naming it in full: one of this name, else the only one that begins so.
const std::pair<const QString, std::function<void()>>* BriefPanel::meant(const QString& line) const {
  const QString words = line.trimmed();
  const std::pair<const QString, std::function<void()>>*begins = nullptr, *ends = nullptr;
  int count = 0;
  for (const auto& offered : m_offered) {
    const QString name = offered.first.section(" – ", 0, 0);
    if (name.compare(words, Qt::CaseInsensitive) == 0) return &offered;
    if (!name.startsWith(words, Qt::CaseInsensitive)) {
      // "dark" for "Appearance: Dark"
      if (name.section(": ", 1).compare(words, Qt::CaseInsensitive) == 0) ends = &offered;
      continue;
    }
    ++count;
    begins = &offered;
  }
  return ends ? ends : count == 1 ? begins : nullptr;
}

/// While somebody types: what Return would do, or why it would do nothing, as soon as the list has nothing to offer.
void BriefPanel::answerSaying(const QString& line) {
  QString text;
  bool bad = false;
  QCompleter* c = m_say->completer();
  if (line.trimmed().size() > 1 && m_offered.find(line) == m_offered.end()) {
    c->setCompletionPrefix(line);
    if (c->completionCount() == 0) {
      auto said = understand(line.toStdString(), m_groupNames, m_unit);
      bad = !said;
      text =
          said
              ? tr("Return adds: %1").arg(QString::fromStdString(sentenceOf({said->kind, said->values, "", false, {}})))
              : theme::sentences(said.problem().what, said.problem().todo);
    }
  }
  m_answer->setText(text);
  m_answer->setObjectName(bad ? "problem" : "small");
  m_answer->style()->unpolish(m_answer); // styles go by name
  m_answer->style()->polish(m_answer);
  m_answer->setHidden(text.isEmpty());
}

void BriefPanel::setCommands(const QList<QAction*>& commands,
                             const std::vector<std::pair<QAction*, QString>>& further) {
  m_commands = commands;
  m_further = further;
  offer();
}

QStringList BriefPanel::offers() const { return m_offers->stringList(); }

void BriefPanel::offer() {
  QStringList all;
  m_offered.clear();
  auto add = [&](const QString& text, std::function<void()> act) {
    if (m_offered.emplace(text, std::move(act)).second) all << text;
  };
  for (const auto& k : ruleTable())
    add(QString::fromStdString(k.id).replace('_', ' ') + " – " + ruleWords(k.help),
        [this, id = k.id] { emit ruleWanted(id); });
  for (std::size_t g = 0; g < m_groupNames.size(); ++g)
    add(tr("%1 – select this group").arg(QString::fromStdString(m_groupNames[g])),
        [this, rule = m_groupRules[g]] { emit selectWanted(rule); });
  for (QAction* a : m_commands) {
    const QString key = a->shortcut().toString(QKeySequence::NativeText), name = a->objectName();
    // What undo would take back changes with every step.
    const QString text =
        name == "undo" || name == "redo" ? a->text().section(':', 0, 0) : QString(a->text()).remove("…");
    add(key.isEmpty() ? tr("%1 – command").arg(text) : tr("%1 – command, %2").arg(text, key), [a] { a->trigger(); });
  }
  for (const auto& [a, words] : m_further) add(tr("%1 – command").arg(words), [a = a] { a->trigger(); });
  if (all != m_offers->stringList()) m_offers->setStringList(all);
}

void BriefPanel::say(const QString& line) {
  if (line.trimmed().isEmpty()) return;
  if (const auto it = m_offered.find(line); it != m_offered.end()) {
    m_say->clear();
    const auto act = it->second; // what it does may change what is offered
    return act();
  }
  if (const auto* offered = meant(line)) return say(QString(offered->first));
  auto said = understand(line.toStdString(), m_groupNames, m_unit);
  if (!said) {
    emit notUnderstood(said.problem());
    return;
  }
  m_say->clear();
  emit ruleWanted(said->kind, said->values);
}

void BriefPanel::editChip(int rule, const std::string& key) {
  if (rule < 0 || static_cast<std::size_t>(rule) >= m_ruleCards.size() || !m_ruleCards[static_cast<std::size_t>(rule)])
    return;
  for (auto* c : m_ruleCards[static_cast<std::size_t>(rule)]->findChildren<QToolButton*>("chip"))
    if (c->property("key").toString().toStdString() == key) static_cast<Chip*>(c)->edit();
}

void BriefPanel::reveal(int rule) {
  if (rule < 0 || static_cast<std::size_t>(rule) >= m_ruleCards.size() || !m_ruleCards[static_cast<std::size_t>(rule)])
    return;
  auto* card = m_ruleCards[static_cast<std::size_t>(rule)];
  if (card->isHidden()) {
    m_filter->clear();
    QTimer::singleShot(0, card, [this, card] { m_scroll->ensureWidgetVisible(card, 0, 30); }); // once all have room
  }
  m_scroll->ensureWidgetVisible(card, 0, 30);
  card->setProperty("lit", true);
  card->style()->unpolish(card);
  card->style()->polish(card);
  QTimer::singleShot(1200, card, [card] {
    card->setProperty("lit", false);
    card->style()->unpolish(card);
    card->style()->polish(card);
  });
}

void BriefPanel::arrange(std::vector<Piece> pieces) {
  if (std::equal(pieces.begin(), pieces.end(), m_pieces.begin(), m_pieces.end(),
                 [](const Piece& x, const Piece& y) { return x.key == y.key; }))
    return;
  // Keys and tab order go on where they were, when the chip there is made anew.
  QWidget* focus = m_cards->parentWidget()->focusWidget();
  const bool held = focus && focus->hasFocus();
  const QString chip = held ? focus->property("key").toString() : QString();
  int rule = -1;
  for (std::size_t i = 0; held && i < m_ruleCards.size(); ++i)
    if (m_ruleCards[i] && m_ruleCards[i]->isAncestorOf(focus)) rule = static_cast<int>(i);
  std::multimap<QString, QWidget*> before;
  for (const auto& p : m_pieces) before.emplace(p.key, p.widget);
  while (auto* i = m_cards->takeAt(0)) delete i;
  QWidget* last = nullptr;
  for (auto& p : pieces) {
    if (auto old = before.extract(p.key))
      p.widget = old.mapped();
    else
      p.widget = p.make();
    p.make = nullptr;
    m_cards->addWidget(p.widget);
    for (auto* w : p.widget->findChildren<QToolButton*>()) { // the tab key goes down the column, to the line below it
      if (last) QWidget::setTabOrder(last, w);
      last = w;
    }
  }
  if (last) QWidget::setTabOrder(last, m_say);
  for (const auto& [key, widget] : before) dismissWidget(widget);
  m_cards->addStretch();
  m_pieces = std::move(pieces);
  std::fill(m_ruleCards.begin(), m_ruleCards.end(), nullptr);
  for (const auto& p : m_pieces)
    if (p.rule >= 0) {
      const auto at = static_cast<std::size_t>(p.rule);
      if (m_ruleCards.size() <= at) m_ruleCards.resize(at + 1, nullptr);
      m_ruleCards[at] = p.widget;
    }
  if (rule >= 0 && !chip.isEmpty() && static_cast<std::size_t>(rule) < m_ruleCards.size())
    if (QWidget* card = m_ruleCards[static_cast<std::size_t>(rule)])
      for (auto* c : card->findChildren<QToolButton*>("chip"))
        if (c->property("key").toString() == chip && !c->hasFocus()) c->setFocus();
  m_unfitted = true;
}

/// A head goes with the last of its cards.
void BriefPanel::applyFilter() {
  const QString words = m_filter->text();
  QWidget* head = nullptr;
  for (const auto& p : m_pieces) {
    if (p.rule < 0) {
      head = p.widget;
      if (p.widget->isHidden() != !words.isEmpty()) m_unfitted = true;
      p.widget->setHidden(!words.isEmpty());
      continue;
    }
    QString text = p.widget->accessibleName();
    for (const auto* l : p.widget->findChildren<QLabel*>()) text += ' ' + l->text();
    const bool on = wordsIn(words, text);
    if (p.widget->isHidden() == on) m_unfitted = true;
    p.widget->setHidden(!on);
    if (on && head) head->show();
  }
}

QWidget* BriefPanel::partCard(const Part* part) {
  auto* card = new Card(QColor("#8A929A"));
  auto* pv = new QVBoxLayout(card);
  pv->setContentsMargins(9, 6, 8, 6);
  pv->setSpacing(3);
  if (!part) {
    pv->addWidget(styledLabel(tr("Open a part or a brief: File menu, Ctrl+O, or drop a file here."), ""));
    return card;
  }
  auto* line = new QWidget;
  auto* flow = new FlowLayout(line);
  flow->addWidget(
      new QLabel("<b>" + QFileInfo(QString::fromStdString(part->path)).fileName().toHtmlEscaped() + "</b>"));
  flow->addWidget(new QLabel(tr("in")));
  Slot s;
  s.key = "unit";
  s.type = SlotType::Choice;
  s.help = tr("unit of the file's numbers").toStdString();
  s.choices = unitNames();
  flow->addWidget(
      new Chip(s, QString::fromStdString(part->unit), [this](const std::string& u) { emit unitChanged(u); }, {}));
  pv->addWidget(line);
  pv->addWidget(styledLabel(factsOf(*part), "small"));
  return card;
}

QWidget* BriefPanel::sectionHead(const QString& title, std::size_t unnamed) {
  auto* head = new QWidget;
  auto* h = new QHBoxLayout(head);
  h->setContentsMargins(0, 4, 0, 0);
  h->addWidget(styledLabel(title, "section"));
  if (!unnamed) return head;
  auto* l = styledLabel(unnamed == 1 ? tr("1 face unnamed") : tr("%1 faces unnamed").arg(unnamed), "small");
  l->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
  h->addWidget(l, 1);
  auto* propose =
      flushLink(tr("propose"), tr("groups that the part suggests: its flat ends, its round holes, and the rest"));
  propose->setAccessibleName(tr("Propose groups"));
  connect(propose, &QToolButton::clicked, this, &BriefPanel::groupsWanted);
  h->addWidget(propose);
  return head;
}

QWidget* BriefPanel::ruleCard(int index, const Rule& r, const QString& overall, const QStringList& targets,
                              const QColor& spine) {
  const RuleKind* kind = ruleKind(r.kind);
  auto* card = new Card(spine);
  card->setAccessibleName(QString::fromStdString(sentenceOf(r)));
  card->onHover = [this, index](bool in) { emit hovered(in ? index : -1); };
  auto* v = new QVBoxLayout(card);
  v->setContentsMargins(9, 6, 8, 6);
  v->setSpacing(3);
  auto* line = new QWidget;
  line->setEnabled(!r.off);
  auto* flow = new FlowLayout(line);
  if (!kind)
    flow->addWidget(styledLabel(tr("'%1' is no rule known here").arg(QString::fromStdString(r.kind)), ""));
  else {
    // The sentence of the table, with words as labels and entries as chips.
    auto words = [&](const std::string& text) {
      for (const auto& w : QString::fromStdString(text).split(' ', Qt::SkipEmptyParts)) flow->addWidget(new QLabel(w));
    };
    auto chip = [&](const std::string& key) {
      const Slot* s = kind->slot(key);
      if (!s) return;
      QString value = QString::fromStdString(r.get(key));
      if (value.isEmpty() && key == "target") value = overall;
      value = withUnit(*s, value, m_unit);
      auto* c = new Chip(
          *s, value, [this, index, key](const std::string& t) { emit valueChanged(index, key, t); },
          s->type == SlotType::Target || s->type == SlotType::Names ? targets : QStringList());
      c->setProperty("key", QString::fromStdString(key));
      c->onTyped = [this, index, key](const std::string& t) { emit valueTyped(index, key, t); };
      c->onLeave = [this] { emit typingLeft(); };
      flow->addWidget(c);
    };
    const std::string t = ruleWords(kind->sentence).toStdString();
    std::string pending;
    for (std::size_t k = 0; k < t.size();) {
      if (t[k] == '[') {
        std::size_t e = t.find(']', k), b = t.find('{', k), c = t.find('}', k);
        std::string key = t.substr(b + 1, c - b - 1);
        auto it = r.values.find(key);
        if (it != r.values.end() && !it->second.empty()) {
          words(pending);
          pending.clear();
          words(t.substr(k + 1, b - k - 1));
          chip(key);
          words(t.substr(c + 1, e - c - 1));
        }
        k = e + 1;
      } else if (t[k] == '{') {
        words(pending);
        pending.clear();
        std::size_t e = t.find('}', k);
        chip(t.substr(k + 1, e - k - 1));
        k = e + 1;
      } else
        pending += t[k++];
    }
    words(pending);
  }
  v->addWidget(line);
  card->below = styledLabel("", "small");
  v->addWidget(card->below);
  card->below->hide(); // never shown before it has a parent: it would be a window of its own
  if (!r.note.empty()) v->addWidget(styledLabel("“" + QString::fromStdString(r.note) + "”", "small"));
  card->setContextMenuPolicy(Qt::CustomContextMenu);
  connect(card, &QWidget::customContextMenuRequested, this,
          [this, card, index, r](const QPoint& p) { ruleMenu(index, r, card->mapToGlobal(p)); });
  return card;
}

void BriefPanel::ruleMenu(int index, Rule r, QPoint at) {
  QMenu menu;
  auto* off = menu.addAction(r.off ? tr("Switch on") : tr("Switch off"));
  auto* dup = menu.addAction(tr("Duplicate"));
  auto* up = menu.addAction(tr("Move up"));
  auto* down = menu.addAction(tr("Move down"));
  auto* note = menu.addAction(tr("Note…"));
  auto* more = menu.addMenu(tr("Say more"));
  if (const RuleKind* kind = ruleKind(r.kind))
    for (const auto& s : kind->entries) {
      std::string key = s.key;
      const QString shown = QString::fromStdString(s.key).replace('_', ' ');
      if (s.type == SlotType::Choice) {
        auto* which = more->addMenu(shown);
        for (const auto& c : s.choices) {
          auto* a = which->addAction(QString::fromStdString(c));
          a->setCheckable(true);
          a->setChecked(r.get(key) == c);
          connect(a, &QAction::triggered, this, [this, index, key, c] { emit valueChanged(index, key, c); });
        }
        continue;
      }
      auto* a = more->addAction(shown);
      a->setToolTip(ruleWords(s.help));
      connect(a, &QAction::triggered, this, [this, index, key, s, r] {
        bool ok = false;
        QString t = QInputDialog::getText(this, QString::fromStdString(key), ruleWords(s.help), QLineEdit::Normal,
                                          QString::fromStdString(r.get(key)), &ok);
        if (ok) emit valueChanged(index, key, t.toStdString());
      });
    }
  auto* select = menu.addAction(tr("Select what it is about"));
  const RuleKind* known = ruleKind(r.kind);
  select->setVisible(r.kind == "group" ||
                     (known && std::any_of(known->entries.begin(), known->entries.end(),
                                           [](const Slot& s) { return s.type == SlotType::Target; })));
  menu.addSeparator();
  auto* del = menu.addAction(tr("Remove"));
  auto* a = menu.exec(at);
  if (a == off)
    emit switched(index, !r.off);
  else if (a == dup)
    emit duplicated(index);
  else if (a == up)
    emit moved(index, -1);
  else if (a == down)
    emit moved(index, 1);
  else if (a == select)
    emit selectWanted(index);
  else if (a == note) {
    bool ok = false;
    QString t = QInputDialog::getText(this, tr("Note"), tr("Why this rule?"), QLineEdit::Normal,
                                      QString::fromStdString(r.note), &ok);
    if (ok) emit noteChanged(index, t.toStdString());
  } else if (a == del)
    emit removed(index);
}

void BriefPanel::show(const Brief& brief, const Part* part, const std::vector<ResolvedGroup>& groups,
                      const RunResult* run, const std::vector<Problem>& problems) {
  keepPreviews(brief.rules);
  const std::size_t unnamed = part && !brief.first("stay_free") ? unassignedFaces(*part, groups).size() : 0;
  std::vector<Piece> pieces;
  auto text = [&](const QString& words, const char* name) {
    pieces.push_back(
        {QString("text\x1f%1\x1f%2").arg(name, words), -1, [words, name] { return styledLabel(words, name); }});
  };
  auto head = [&](const QString& title, std::size_t open) {
    pieces.push_back(
        {QString("head\x1f%1\x1f%2").arg(title).arg(open), -1, [=, this] { return sectionHead(title, open); }});
  };
  text(tr("PART"), "section");
  pieces.push_back({part ? "part\x1f" + QString::fromStdString(part->path) + '\x1f' +
                               QString::fromStdString(part->unit) + '\x1f' + factsOf(*part)
                         : QString("no part"),
                    -1, [=, this] { return partCard(part); }});
  if (part && groups.empty()) {
    head(tr("GROUPS"), unnamed);
    if (brief.rules.empty() || brief.rules[0].kind != "group")
      text(tr("Select faces and press G, or let the part propose."), "small");
  }
  m_groupNames.clear();
  m_groupRules.clear();
  for (const auto& g : groups) {
    m_groupNames.push_back(g.name);
    m_groupRules.push_back(g.rule);
  }
  if (part) m_unit = part->unit;
  offer();
  QStringList targets{"everywhere"};
  for (const auto& g : groups) targets << QString::fromStdString(g.name);
  const QString overall =
      part ? QString::fromStdString(formatNumber(overallTarget(brief, *part), 4) + " " + part->unit) : QString();
  std::string section;
  for (const char* want : {"Part", "Pieces", "Values", "Groups", "Sizes", "Methods", "Judging", "Hand-over", ""})
    for (std::size_t i = 0; i < brief.rules.size(); ++i) {
      const Rule& r = brief.rules[i];
      const RuleKind* kind = ruleKind(r.kind);
      if ((kind ? kind->section : "") != want) continue;
      if (section != want || (!kind && section.empty())) {
        section = want;
        head(kind ? ruleWords(want).toUpper() : tr("UNKNOWN"), section == "Groups" ? unnamed : 0);
      }
      const QColor spine = spineOf(r, groups);
      // All that the card is made of; what stands below its sentence is put there afterwards.
      QStringList key{"rule",
                      QString::number(i),
                      QString::fromStdString(r.kind),
                      r.off ? "off" : "on",
                      QString::fromStdString(r.note),
                      spine.name(),
                      theme::card.name(),
                      QString::fromStdString(m_unit),
                      targets.join('\x1e')};
      if (kind && kind->slot("target") && r.get("target").empty()) key << overall;
      for (const auto& [name, value] : r.values) key << QString::fromStdString(name + "\x1e" + value);
      const int index = static_cast<int>(i);
      pieces.push_back({key.join('\x1f'), index, [=, this] { return ruleCard(index, r, overall, targets, spine); }});
    }
  arrange(std::move(pieces));
  m_ruleCards.resize(brief.rules.size(), nullptr);
  const Brief plain = settled(brief, part);
  for (std::size_t i = 0; i < brief.rules.size(); ++i) {
    const Below b = belowOf(brief, plain, i, part, groups, run, problems);
    putBelow(static_cast<int>(i), b.text, b.wrong);
  }
  // Fewer fit into the column.
  constexpr std::size_t many = 14;
  m_filter->setVisible(brief.rules.size() >= many);
  if (brief.rules.size() < many) m_filter->clear();
  applyFilter();
  if (m_unfitted) fitTwice();
}

void BriefPanel::fitTwice() {
  fitHeight();
  QMetaObject::invokeMethod(
      this,
      [this] {
        m_unfitted = true; // again with the final widths
        fitHeight();
      },
      Qt::QueuedConnection);
}

BriefPanel::Below BriefPanel::belowOf(const Brief& brief, const Brief& plain, std::size_t i, const Part* part,
                                      const std::vector<ResolvedGroup>& groups, const RunResult* run,
                                      const std::vector<Problem>& problems) const {
  const Rule& r = brief.rules[i];
  const RuleKind* kind = ruleKind(r.kind);
  const int index = static_cast<int>(i);
  QString below;
  bool wrong = false;
  if (r.off) below = tr("switched off");
  if (r.kind == "group" && !r.off)
    for (const auto& g : groups)
      if (g.rule == index) {
        below = g.entities.empty() ? tr("matches nothing") : countOf(g.entities.size(), g.dim);
        wrong = g.entities.empty();
      }
  // What names and shares stand for.
  if (kind && part && !r.off && i < plain.rules.size())
    for (const auto& s : kind->entries)
      if (r.kind != "value" && s.type != SlotType::Points && r.get(s.key) != plain.rules[i].get(s.key))
        below += (below.isEmpty() ? "" : " · ") + QString::fromStdString(r.get(s.key)) + " = " +
                 QString::fromStdString(s.type == SlotType::Length || s.type == SlotType::Size
                                            ? formatNumber(slotNumber(plain.rules[i], s.key, part->unit), 4) + " " +
                                                  part->unit
                                            : formatNumber(slotNumber(plain.rules[i], s.key, part->unit), 6));
  if (below.isEmpty() && !r.off && i < m_previews.size()) below = previewLine(QString::fromStdString(m_previews[i]));
  if (run && !r.off && i < run->brief.rules.size() && run->brief.rules[i] == r)
    for (const auto& a : run->rules)
      if (a.rule == index) below = tr("got %1").arg(QString::fromStdString(a.got));
  for (const auto& p : problems)
    if (p.where.rfind("rule " + std::to_string(i + 1), 0) == 0 &&
        (p.where.size() == 6 + std::to_string(i).size() ||
         !std::isdigit(static_cast<unsigned char>(p.where[5 + std::to_string(i + 1).size()])))) {
      below = QString::fromStdString(p.what + (p.why.empty() ? "" : ": " + p.why));
      wrong = true;
    }
  return {below, wrong};
}

bool BriefPanel::cardShown(int rule) const {
  const auto at = static_cast<std::size_t>(rule);
  return rule >= 0 && at < m_ruleCards.size() && m_ruleCards[at] && !m_ruleCards[at]->isHidden();
}

QLabel* BriefPanel::belowLabel(int rule) const {
  if (rule < 0 || static_cast<std::size_t>(rule) >= m_ruleCards.size()) return nullptr;
  auto* card = static_cast<Card*>(m_ruleCards[static_cast<std::size_t>(rule)]);
  return card ? card->below : nullptr;
}

void BriefPanel::putBelow(int rule, const QString& text, bool wrong) {
  auto* l = belowLabel(rule);
  if (!l || (l->text() == text && (l->objectName() == "problem") == wrong)) return;
  l->setText(text);
  l->setVisible(!text.isEmpty());
  if ((l->objectName() == "problem") != wrong) {
    l->setObjectName(wrong ? "problem" : "small");
    l->style()->unpolish(l);
    l->style()->polish(l);
  }
  m_unfitted = true;
}

void BriefPanel::showPreview(int rule, const QString& text, bool wrong) {
  putBelow(rule, wrong ? text : previewLine(text), wrong);
  fitHeight();
}

QString BriefPanel::below(int rule) const {
  auto* l = belowLabel(rule);
  return l ? l->text() : QString();
}

/// Words about a rule stay with it where it is moved, or others come and go, until new ones come with the size field. A
/// changed rule keeps those of its place meanwhile, or they would flicker.
void BriefPanel::keepPreviews(const std::vector<Rule>& rules) {
  if (m_previewed == rules) return;
  std::vector<std::string> kept(rules.size());
  const std::size_t known = std::min(m_previews.size(), m_previewed.size());
  for (std::size_t i = 0; i < rules.size(); ++i) {
    std::size_t from = i;
    if (i >= known || m_previewed[i] != rules[i]) {
      const auto end = m_previewed.begin() + static_cast<std::ptrdiff_t>(known);
      const auto there = std::find(m_previewed.begin(), end, rules[i]);
      const bool changed = m_previewed.size() == rules.size() && i < known && m_previewed[i].kind == rules[i].kind;
      from = there != end ? static_cast<std::size_t>(there - m_previewed.begin()) : changed ? i : known;
    }
    if (from < known) kept[i] = m_previews[from];
  }
  m_previews = std::move(kept);
  m_previewed = rules;
}

void BriefPanel::setPreviews(const std::vector<std::string>& texts) {
  const auto before = m_previews;
  m_previews = texts;
  for (std::size_t i = 0; i < texts.size(); ++i) {
    auto* l = belowLabel(static_cast<int>(i));
    // What a run got, or what is wrong, says more.
    const QString old = i < before.size() ? previewLine(QString::fromStdString(before[i])) : QString();
    if (l && (l->text().isEmpty() || l->text() == old))
      putBelow(static_cast<int>(i), previewLine(QString::fromStdString(texts[i])), false);
  }
  fitHeight();
}

/// Wrapped text needs more height than a scroll area's content gets by itself.
void BriefPanel::fitHeight() {
  if (!m_unfitted && m_fittedWidth == width()) return;
  m_unfitted = false;
  m_fittedWidth = width();
  auto* body = m_cards->parentWidget();
  for (auto* w : body->findChildren<QWidget*>()) {
    w->ensurePolished(); // fonts decide how words wrap
    w->updateGeometry(); // what was measured before that is remembered otherwise
  }
  m_cards->invalidate();
  m_cards->activate();
  body->setMinimumHeight(std::max(0, m_cards->totalHeightForWidth(std::max(100, width() - 12))));
}

void BriefPanel::resizeEvent(QResizeEvent* e) {
  QWidget::resizeEvent(e);
  fitHeight();
}

} // namespace tess
