// SPDX-License-Identifier: GPL-3.0-or-later
// The window: brief on the left, viewport in the middle, audit on the right, runs at the bottom.
#pragma once
#include "app/alternatives_dialog.h"
#include "app/audit_panel.h"
#include "app/brief_panel.h"
#include "app/compare_dialog.h"
#include "app/file_watch.h"
#include "app/keys_dialog.h"
#include "app/mesh_worker.h"
#include "app/notice_bar.h"
#include "app/recovery.h"
#include "app/run_shelf.h"
#include "app/runs_bar.h"
#include "app/view_pane.h"
#include "job/rebind.h"
#include <QElapsedTimer>
#include <QMainWindow>
#include <QMap>
#include <QTimer>

class QLabel;
class QMenu;

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
  /// Meshes; what an earlier run of the part has that the brief's changes do not touch serves again, unless
  /// `fromNothing`.
  void startMesh(bool fromNothing = false);
  void stopMesh();
  /// Writes the current run to a path; the answer comes as handedOver() or taskFailed().
  void exportTo(const std::string& path, const std::string& format);
  /// Improves the shown mesh; `only` as for `tessel improve`, empty: at the selected faces, or all of it without any.
  void improveMesh(const std::string& only = {});
  /// The same at these cells and around them.
  void improveAt(const std::vector<std::int32_t>& cells);
  /// Moves a node of the shown mesh; the answer is a run of its own, as of improveMesh().
  void moveNode(std::int32_t node, const Vec3& to);
  /// The run on show as a report with the picture on show: HTML, or PDF by the file's extension.
  std::optional<Problem> writeReport(const QString& path);
  /// Reads the part again, keeping brief and runs, and says what the groups mean now.
  void reloadPart();
  /// Another file takes the part's place.
  void swapPart(const QString& path);
  /// Adds the groups that the part suggests.
  void proposeGroups();
  /// Adds to the selection what is like the face selected last.
  void takeIn(Alike how);
  /// Pins a run, so that it is kept until it is thrown away.
  void pinRun(int index, bool on);
  void discardRun(int index);
  /// The shown mesh with its failing elements as a set.
  void keepFailing();
  /// Puts limits into a file and lets the brief judge by it.
  bool keepLimits(const LimitSet& set, const QString& path);
  /// Lets elements that fail a limit pass, down to a value, for a reason.
  void acceptFailing(const Limit& limit, double to, const std::string& reason);
  /// Writes the surface of the run on show beside the brief and adds the rule that keeps it.
  void keepSurface();
  /// All sizes of the brief times a factor.
  void scaleSizes(double factor);
  /// Rules for a purpose, as withPurpose().
  void setPurpose(const std::string& purpose);
  /// A measured value becomes a card that sizes can use.
  void keepMeasure(const Measure& m);
  /// "12" an element, "n12" a node; false when there is none.
  bool findByNumber(const QString& text);
  const std::vector<Measure>& measures() const { return m_measures; }
  /// Writes the files of these rules; asks first when something stands against it.
  void handOver(const std::vector<Rule>& rules);
  /// Opens the comparison of two runs.
  CompareDialog* compareRuns();
  /// Opens the table of the briefs that are for the same part; asks to save when the open one has no file.
  AlternativesDialog* showAlternatives();
  /// Writes the open brief, as it stands, under another name beside it; the open one stays.
  bool keepAlternative(const QString& path);
  /// Shows two runs side by side with linked cameras; -1: one view again.
  void showBeside(int first, int second);
  Viewport* besideView() const { return m_pane->besideView(); }
  /// Asks about briefs that a program left behind when it was killed.
  void offerRecovery();

  BriefPanel* briefPanel() const { return m_briefPanel; }
  AuditPanel* auditPanel() const { return m_audit; }
  RunsBar* runsBar() const { return m_runs; }
  Viewport* viewport() const { return m_view; } ///< null without OpenGL
  BriefDocument& document() { return m_doc; }
  std::shared_ptr<const RunResult> currentRun() const;
  std::shared_ptr<const Part> part() const { return m_part; }
  MeshWorker* worker() const { return m_worker; }
  const std::vector<ResolvedGroup>& groups() const { return m_groups; }
  NoticeBar* notice() const { return m_notice; }
  ViewPane* viewPane() const { return m_pane; }
  const std::optional<Forecast>& forecast() const { return m_forecast; }
  void setLens(int index) { m_pane->setLens(index); }
  /// Views of the part that were kept, by name: camera, lens, metric and section. They outlive the program.
  QMap<QString, QString> keptViews() const;
  void keepView(const QString& name);
  /// False when there is none of that name.
  bool showView(const QString& name);
  void forgetView(const QString& name);
  /// The commands of the menus, with the keys they come with.
  const std::vector<Command>& commands() const { return m_commands; }
  enum class Appearance { System, Light, Dark };
  void setAppearance(Appearance appearance);
  /// Group and size from the selection, as the action bar does.
  void groupFromSelection(const QString& name);
  void sizeFromSelection(const std::string& kind = "size", const std::map<std::string, std::string>& values = {});
  /// A rule with what is known of it; what is not is taken from the selection, or asked for on its card.
  void addRule(const std::string& kind, const std::map<std::string, std::string>& values = {});

signals:
  void partLoaded();
  void runFinished();
  void taskFailed(const Problem& problem);
  void handedOver();
  void forecastReady();
  void measured();
  void previewed(int rule);
  void runsRecalled();

protected:
  void closeEvent(QCloseEvent* e) override;
  bool eventFilter(QObject* o, QEvent* e) override;
  void dragEnterEvent(QDragEnterEvent* e) override;
  void dropEvent(QDropEvent* e) override;

private:
  BriefDocument m_doc;
  std::shared_ptr<const Part> m_part;
  std::vector<ResolvedGroup> m_groups;
  std::vector<Problem> m_briefProblems, m_taskProblems;
  std::vector<Problem> m_sizeProblems; ///< of the size rules; they come with the size field
  RunShelf* m_shelf;
  int m_current = -1; ///< run on show
  MeshWorker *m_worker, *m_sizer, *m_forecaster, *m_measurer, *m_previewer, *m_teller;
  std::shared_ptr<const SizeField> m_sizes; ///< of the brief as it last was; with or without OpenGL
  std::size_t m_sizedRules = 0;
  int m_hovered = -1;                 ///< card under the pointer
  bool m_typing = false;              ///< a value is being typed or scrubbed
  std::vector<Measure> m_measures;    ///< of the selection
  std::optional<Forecast> m_forecast; ///< of the brief as it stands
  NoticeBar* m_notice;
  QMenu* m_viewsMenu = nullptr;
  std::vector<Command> m_commands;
  CompareDialog* m_compare = nullptr;
  AlternativesDialog* m_alternatives = nullptr;
  RecoveryStore m_recovery;
  QTimer m_keep; ///< writes the recovery file a moment after the last change
  FileWatch* m_files;
  int m_sheetOf = -1;                       ///< cut card whose sheet stays in view
  PartOptions m_loaded;                     ///< with which the part was read last
  std::shared_ptr<const Part> m_partBefore; ///< while the part is read again: what it was
  std::vector<ResolvedGroup> m_groupsBefore;
  std::vector<Rebound> m_reboundGroups;
  std::vector<Problem> m_rebound; ///< what the last change of the part did to the groups
  std::optional<Rule> m_alike;    ///< description of the selection, while it stands as take-in left it
  std::set<int> m_alikeFaces;
  BriefPanel* m_briefPanel;
  AuditPanel* m_audit;
  RunsBar* m_runs;
  ViewPane* m_pane;
  Viewport* m_view; ///< the pane's; null without OpenGL
  QLabel* m_statusText;
  QAction *m_undo, *m_redo;
  std::vector<QAction*> m_looks;                       ///< by Appearance
  std::vector<std::pair<QAction*, QString>> m_unkeyed; ///< commands of submenus, with the words that call them
  QElapsedTimer m_clock;
  bool m_meshing = false;
  bool m_reading = false;               ///< the part is being read
  std::function<void()> m_afterReading; ///< what was asked for meanwhile, the last of it
  void waitForPart(std::function<void()> act);
  bool m_fresh = false; ///< the part was opened by itself: its brief takes over what the file brings along

  void buildMenus();
  void fillViews();
  void connectPanels();
  void connectView();
  void connectWorkers();
  void connectRuns();
  void edit(const std::function<void(Brief&)>& change, const QString& what);
  void briefChanged();
  void refresh();
  /// Draws what a rule would do, as it stands or with a value that is being typed.
  void previewCard(int rule);
  void previewTyped(int rule, const std::string& key, const std::string& value);
  void leavePreview();
  /// Reads the part again when the brief changed in what concerns its reading (unit, sharp lines, overlaps, gaps).
  bool readAgain();
  void loadPartOfBrief(); ///< forgets all that belonged to the part before
  void readPart();
  void showReady();
  /// Judges the mesh of the part's file where the brief takes it as it is.
  void takeMeshOfFile();
  void handOverAll(const std::vector<Rule>& rules);
  void showRun(int index);
  void selectionChanged();
  /// Handles at the finest places of the selected edges that a rule divides unevenly.
  void showHandles();
  /// The sheet of a cut card stays in view, with a handle, until another card is pointed at.
  void showSheet(int rule, const RulePreview& preview);
  void letSheetGo();
  /// Key and text of what a sheet's card says once it is moved.
  std::pair<std::string, std::string> movedSheet(const EdgeHandle& handle) const;
  void proposeCuts();
  /// The places of a rule 'divide' as text, with one of them moved; near to start, middle and end it goes there.
  std::string finestWith(const EdgeHandle& handle) const;
  void showProblem(const Problem& p);
  void fixProblem(const Problem& p);
  QString forecastText() const;
  QString forecastTip() const;
  bool mayDiscard();
  void tell(const Problem& p);
  /// The command that a key calls, if it may be called now.
  QAction* actionOf(const QKeyEvent& e) const;
  bool writeBrief(const std::string& path);
  /// The brief's file on disk is another one, gone or as it was: says so as long as it is true.
  void briefOnDiskChanged();
  void takeBriefFromDisk();
  static QString readPatterns();
  static QString writtenPatterns();
  void askOpen();
  void askExport();
  void askLimits();
  void askAccept(const Limit& limit, double worst);
  /// Round what is selected, with a little room; empty without a selection.
  Box selectedBox() const;
  void changeMesh(const QString& stage, const std::function<void()>& change);
  void askMoveNode(std::int32_t node);
  /// Says what a change of the mesh of run `before` brought, and offers to take it back.
  void offerBack(int before);
  void askUnit(const std::string& unit);
  std::string freshGroupName() const;
  /// base, base_2, ...: the first that no value has.
  std::string freshValueName(const std::string& base) const;
};

} // namespace tess
