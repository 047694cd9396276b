// SPDX-License-Identifier: GPL-3.0-or-later
// The bottom bar: Mesh and Stop with progress, and a tile per run.
#pragma once
#include "job/run.h"
#include <QWidget>

class QHBoxLayout;
class QLabel;
class QLineEdit;
class QProgressBar;
class QPushButton;
class QScrollArea;
class QToolButton;

namespace tess {

class RunsBar : public QWidget {
  Q_OBJECT
public:
  explicit RunsBar(QWidget* parent = nullptr);
  /// `tip`: where the elements would go, for whoever wants to know.
  void setReady(bool ready, const QString& text, const QString& tip = {});
  QString text() const;
  void setBusy(bool busy, bool canStop);
  /// `seconds` since the work began. Where the share falls, stages are gone through once more, and what is left counts
  /// from there.
  void setProgress(const QString& stage, double share, double seconds);
  QString stage() const;
  /// Runs in order; `current` is shown; those whose brief differs from `brief` are marked older.
  /// `pinned`: by run; those are kept until they are thrown away. `ofOtherPart`: by run; the part has changed since.
  void setRuns(const std::vector<std::shared_ptr<const RunResult>>& runs, int current, const Brief& brief,
               const std::vector<char>& pinned = {}, const std::vector<char>& ofOtherPart = {});
  QPushButton* meshButton() const { return m_go; }
  QPushButton* stopButton() const { return m_stop; }
  /// Leaves the tiles that hold its words; there when the runs are many.
  QLineEdit* filter() const { return m_filter; }

signals:
  void meshWanted();
  void stopWanted();
  void runClicked(int index);
  void pinWanted(int index, bool on);
  void discardWanted(int index);

private:
  QPushButton *m_go, *m_stop;
  QLabel *m_text, *m_stage;
  QProgressBar* m_progress;
  double m_share = 0, m_passFrom = 0; ///< last told; seconds at which it last fell
  QHBoxLayout* m_tiles;
  QScrollArea* m_room;
  QLineEdit* m_filter;
  void filterTiles();
  QToolButton *m_newer, *m_older; ///< shown when the tiles need more room than there is
  void showArrows();

protected:
  bool eventFilter(QObject* o, QEvent* e) override;
};

} // namespace tess
