// SPDX-License-Identifier: GPL-3.0-or-later
// The window: brief on the left, viewport in the middle, audit on the right, runs at the bottom.
#pragma once
#include "app/audit_panel.h"
#include "app/brief_panel.h"
#include "app/mesh_worker.h"
#include "app/runs_bar.h"
#include "app/viewport.h"
#include <QElapsedTimer>
#include <QMainWindow>

class QActionGroup;
class QFrame;
class QLabel;
class QToolButton;

namespace tess {

class MainWindow : public QMainWindow {
  Q_OBJECT
public:
  explicit MainWindow(bool openGl = true);
  ~MainWindow() override;
  /// Opens a brief or a part; asks about unsaved changes unless `force`.
  void open(const QString& path);
  bool save();
  bool saveAs(const QString& path);
  void startMesh();
  void stopMesh();
  /// Writes the current run by a hand-over rule or to a path.
  std::optional<Problem> exportTo(const std::string& path, const std::string& format);

  BriefPanel* briefPanel() const { return m_briefPanel; }
  AuditPanel* auditPanel() const { return m_audit; }
  RunsBar* runsBar() const { return m_runs; }
  Viewport* viewport() const { return m_view; } ///< null without OpenGL
  BriefDocument& document() { return m_doc; }
  std::shared_ptr<const RunResult> currentRun() const;
  std::shared_ptr<const Part> part() const { return m_part; }
  MeshWorker* worker() const { return m_worker; }
  const std::vector<ResolvedGroup>& groups() const { return m_groups; }
  void setLens(int index);
  /// Group and size from the selection, as the action bar does.
  void groupFromSelection(const QString& name);
  void sizeFromSelection(const std::string& kind = "size");

signals:
  void partLoaded();
  void runFinished();
  void taskFailed(const Problem& problem);

protected:
  void closeEvent(QCloseEvent* e) override;
  void dragEnterEvent(QDragEnterEvent* e) override;
  void dropEvent(QDropEvent* e) override;
  void resizeEvent(QResizeEvent* e) override;
  bool eventFilter(QObject* o, QEvent* e) override;

private:
  BriefDocument m_doc;
  std::shared_ptr<const Part> m_part;
  std::vector<ResolvedGroup> m_groups;
  std::vector<Problem> m_briefProblems, m_taskProblems;
  std::vector<Problem> m_sizeProblems; ///< of the size rules; they come with the size field
  std::vector<std::shared_ptr<const RunResult>> m_allRuns;
  int m_current = -1;
  MeshWorker *m_worker, *m_sizer;
  BriefPanel* m_briefPanel;
  AuditPanel* m_audit;
  RunsBar* m_runs;
  Viewport* m_view = nullptr;
  QWidget* m_middle;
  QFrame *m_lensStrip = nullptr, *m_selectionBar = nullptr, *m_sectionBar = nullptr;
  QLabel *m_selectionText = nullptr, *m_hint = nullptr, *m_sectionText = nullptr, *m_statusText;
  QAction *m_undo, *m_redo;
  std::vector<QToolButton*> m_lensButtons;
  QElapsedTimer m_clock;
  bool m_meshing = false;

  void buildMenus();
  void buildViewport(bool openGl);
  void connectPanels();
  void edit(const std::function<void(Brief&)>& change, const QString& what);
  void briefChanged();
  void refresh();
  void placeFloating();
  void loadPartOfBrief();
  void showRun(int index);
  void selectionChanged();
  void showProblem(const Problem& p);
  bool mayDiscard();
  void tell(const Problem& p);
  void askOpen();
  void askExport();
  void askUnit(const std::string& unit);
  std::string freshGroupName() const;
};

} // namespace tess
