// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/theme.h"
#include <cstring>

namespace tess::theme {
namespace {
bool dark = false;

struct Pair {
  const char *light, *dark;
};
/// Every colour of the style sheet and its twin. "#FFFFFE" is text on accent or ink.
const Pair kTwins[] = {{"#F6F4EE", "#1F2328"}, {"#FFFFFF", "#2A3036"}, {"#22303C", "#E6E1D6"},
                       {"#6B7680", "#A0A9B1"}, {"#D9D5CA", "#3F464E"}, {"#E3DFD4", "#3A4148"},
                       {"#E9E5DA", "#353B42"}, {"#EBDFE7", "#4A3A45"}, {"#7A2E5D", "#D58AB4"},
                       {"#8C3A6C", "#E09CC2"}, {"#B9A8B3", "#6A5A64"}, {"#F4F1F5", "#343B43"},
                       {"#DDD3DC", "#4A525B"}, {"#CFCABD", "#4A525B"}, {"#A9AEB2", "#6B747C"},
                       {"#B13F27", "#E8806A"}, {"#F3E7D3", "#453D2E"}, {"#D9C08A", "#8A7A4A"},
                       {"#ECEAE3", "#262B30"}, {"#FFFFFE", "#1F2328"}, {"rgba(255,255,255,", "rgba(42,48,54,"}};
} // namespace

bool isDark() { return dark; }

void setDark(bool on) {
  dark = on;
  auto pick = [&](QColor& c, const char* l, const char* d) { c = QColor(on ? d : l); };
  pick(paper, "#F6F4EE", "#1F2328");
  pick(card, "#FFFFFF", "#2A3036");
  pick(ink, "#22303C", "#E6E1D6");
  pick(faint, "#6B7680", "#A0A9B1");
  pick(line, "#D9D5CA", "#3F464E");
  pick(accent, "#7A2E5D", "#D58AB4");
  pick(viewport, "#ECEAE3", "#262B30");
  pick(cells, "#C9C4B8", "#A7A399");
  pick(meshLine, "#5C656D", "#3C4247");
  pick(cellLine, "#4A545D", "#2B3035");
  pick(partLine, "#22303C", "#0F1215");
  pick(failingText, "#B13F27", "#E8806A");
}

QString dyed(QString sheet) {
  if (!dark) return sheet;
  // In one pass, so that a twin which is itself a light colour is not dyed again.
  QString r;
  for (qsizetype i = 0; i < sheet.size();) {
    bool found = false;
    for (const auto& p : kTwins)
      if (QStringView(sheet).mid(i).startsWith(QLatin1String(p.light), Qt::CaseInsensitive)) {
        r += QLatin1String(p.dark);
        i += static_cast<qsizetype>(std::strlen(p.light));
        found = true;
        break;
      }
    if (!found) r += sheet[i++];
  }
  return r;
}

QColor group(int i) {
  static const char* c[] = {"#8A6084", "#B27A3C", "#5B8A8A", "#8A8A5B", "#66709A", "#A3574F",
                            "#5F8F5F", "#9A7A4F", "#4F7FA3", "#A3708A", "#6F6F6F", "#7F9A4F"};
  return QColor(c[((i % 12) + 12) % 12]);
}

QColor method(int fill) {
  static const char* c[] = {"#BE9450", "#6A6EA8", "#4F8CA6"}; // ochre, indigo, slate blue
  return QColor(c[((fill % 3) + 3) % 3]);
}

QColor quality(double b) {
  b = std::clamp(b, 0.0, 1.0);
  auto mix = [](const QColor& p, const QColor& q, double t) {
    return QColor::fromRgbF(static_cast<float>(p.redF() + t * (q.redF() - p.redF())),
                            static_cast<float>(p.greenF() + t * (q.greenF() - p.greenF())),
                            static_cast<float>(p.blueF() + t * (q.blueF() - p.blueF())));
  };
  return b < 0.5 ? mix(good, sand, 2 * b) : mix(sand, failing, 2 * b - 1);
}

QColor size(double t) {
  t = std::clamp(t, 0.0, 1.0);
  return QColor::fromRgbF(static_cast<float>(0.36 + 0.52 * t), static_cast<float>(0.22 + 0.62 * t),
                          static_cast<float>(0.34 + 0.50 * t));
}

QString styleSheet() {
  return dyed(R"(
QMainWindow, QWidget#paper { background: #F6F4EE; }
QWidget { color: #22303C; font-size: 12px; }
QMenuBar { background: #F6F4EE; border-bottom: 1px solid #D9D5CA; }
QMenuBar::item { padding: 5px 10px; background: transparent; }
QMenuBar::item:selected, QMenu::item:selected { background: #EBDFE7; color: #22303C; }
QMenu { background: #FFFFFF; border: 1px solid #D9D5CA; }
QMenu::item { padding: 4px 22px; }
QMenu::item:disabled { color: #A9AEB2; }
QFrame#card { background: #FFFFFF; border: 1px solid #E3DFD4; border-radius: 4px; }
QLabel#section { color: #6B7680; font-size: 10px; font-weight: 600; letter-spacing: 1px; }
QLabel#small { color: #6B7680; font-size: 11px; }
QLabel#problem { color: #B13F27; font-size: 11px; font-weight: 600; }
QLabel#verdict { font-size: 15px; font-weight: 700; }
QToolButton#chip { background: #F4F1F5; border: 1px solid #DDD3DC; border-radius: 4px; padding: 1px 5px; font-weight: 600; }
QToolButton#chip:hover, QToolButton#chip:focus { border-color: #7A2E5D; }
QToolButton#link { background: transparent; border: none; border-radius: 3px; color: #7A2E5D; text-decoration: underline; padding: 1px 3px; }
QToolButton#link[flush="true"] { margin: 0px -8px; }
QToolButton#link:focus { background: #EBDFE7; }
QToolButton#link:disabled { color: #A9AEB2; }
QToolButton#lens { background: transparent; border: none; border-radius: 11px; padding: 4px 12px; }
QToolButton#lens[tight="true"] { padding: 4px 2px; }
QToolButton#lens:checked { background: #22303C; color: #FFFFFE; font-weight: 600; }
QToolButton#lens:focus { border: 1px solid #7A2E5D; }
QFrame#floating { background: rgba(255,255,255,235); border: 1px solid #D9D5CA; border-radius: 13px; }
QFrame#rule { background: #D9D5CA; border: none; }
QLabel#floatbar { background: rgba(255,255,255,235); border: 1px solid #D9D5CA; border-radius: 5px; padding: 5px 9px; }
QLabel#noOpenGl { background: #ECEAE3; padding: 40px; }
QFrame#notice { background: #F3E7D3; border-bottom: 1px solid #D9C08A; }
QFrame#floatbar { background: rgba(255,255,255,240); border: 1px solid #D9D5CA; border-radius: 5px; }
QPushButton { background: #FFFFFF; border: 1px solid #D9D5CA; border-radius: 5px; padding: 8px 14px; }
QPushButton:hover, QPushButton:focus { border-color: #7A2E5D; }
QPushButton#go { background: #7A2E5D; color: #FFFFFE; border: none; border-radius: 5px; padding: 9px 18px; font-weight: 700; }
QPushButton#go:hover { background: #8C3A6C; }
QPushButton#go:disabled { background: #B9A8B3; }
QPushButton#go:focus { border: 2px solid #22303C; }
QPushButton#tile { background: #FFFFFF; border: 1px solid #E3DFD4; border-radius: 5px; padding: 6px 10px; text-align: left; }
QPushButton#tile:checked { border: 2px solid #7A2E5D; }
QLineEdit { background: #FFFFFF; border: 1px solid #D9D5CA; border-radius: 4px; padding: 4px 6px; }
QLineEdit:focus { border-color: #7A2E5D; }
QComboBox QAbstractItemView { background: #FFFFFF; selection-background-color: #EBDFE7; selection-color: #22303C; }
QAbstractItemView#offers { background: #FFFFFF; border: 1px solid #D9D5CA; }
QAbstractItemView#offers::item { padding: 4px 8px; }
QAbstractItemView#offers::item:selected { background: #EBDFE7; color: #22303C; }
QScrollArea { border: none; background: transparent; }
QScrollBar:vertical { background: transparent; width: 8px; }
QScrollBar::handle:vertical { background: #CFCABD; border-radius: 4px; min-height: 24px; }
QScrollBar::add-line, QScrollBar::sub-line { height: 0; width: 0; }
QProgressBar { background: #E9E5DA; border: none; border-radius: 3px; max-height: 6px; }
QProgressBar::chunk { background: #7A2E5D; border-radius: 3px; }
QListWidget { background: transparent; border: none; }
QListWidget::item { padding: 3px 2px; border-bottom: 1px solid #E9E5DA; }
QListWidget::item:selected { background: #EBDFE7; color: #22303C; }
QTableWidget { background: transparent; border: none; gridline-color: #E3DFD4; }
QToolTip { background: #FFFFFF; color: #22303C; border: 1px solid #D9D5CA; }

)");
}

QString sentences(const std::string& first, const std::string& second) {
  QString a = QString::fromStdString(first), b = QString::fromStdString(second);
  if (!a.isEmpty() && !b.isEmpty()) {
    if (!a.endsWith('.')) a += ".";
    a += " " + b.left(1).toUpper() + b.mid(1);
    return a;
  }
  return a + b;
}

} // namespace tess::theme
