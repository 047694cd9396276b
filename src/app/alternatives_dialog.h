// SPDX-License-Identifier: GPL-3.0-or-later
// Briefs that are alternatives for one part, in one table: what each gives, and the cards that differ. Meshes those
// that have no run yet. Stays open beside the window.
#pragma once
#include "app/mesh_worker.h"
#include "job/compare.h"
#include <QDialog>

class QLabel;
class QLineEdit;
class QProgressBar;
class QPushButton;
class QTableWidget;
class QToolButton;

namespace tess {

class AlternativesDialog : public QDialog {
  Q_OBJECT
public:
  explicit AlternativesDialog(QWidget* parent);
  ~AlternativesDialog() override;
  /// The open brief as it stands, with its part; looks for the others and for runs kept of them. `shown`: the run on
  /// show, if it is of that part.
  void compare(const Brief& open, std::shared_ptr<const Part> part, const PartOptions& readWith,
               std::shared_ptr<const RunResult> shown = nullptr);
  const std::vector<Brief>& briefs() const { return m_briefs; }
  /// By brief; null while there is none.
  const std::vector<std::shared_ptr<const RunResult>>& runs() const { return m_runs; }
  QTableWidget* table() const { return m_table; }
  QPushButton* meshButton() const { return m_mesh; }
  /// Leaves the briefs whose names or differing cards hold its words, and the open one; there when they are many.
  QLineEdit* filter() const { return m_filter; }
  QString differences() const;
  bool busy() const { return m_worker->busy(); }

signals:
  /// The open brief was meshed here, for this part; `file`: where its run is kept.
  void openMeshed(std::shared_ptr<const RunResult> run, std::shared_ptr<const Part> part, const QString& file);
  void openWanted(const QString& brief);
  /// The open brief shall be kept as one more alternative.
  void anotherWanted();
  /// All that was asked for is there.
  void ready();

protected:
  void hideEvent(QHideEvent* e) override;

private:
  MeshWorker* m_worker;
  std::shared_ptr<const Part> m_part;
  PartOptions m_readWith;
  std::vector<Brief> m_briefs;
  std::vector<std::shared_ptr<const RunResult>> m_runs;
  std::vector<QString> m_failed; ///< by brief: why there is no mesh
  int m_meshing = -1;
  QString m_file; ///< that the run on its way is kept in
  QLineEdit* m_filter;
  QTableWidget* m_table;
  QLabel *m_rules, *m_stage;
  QProgressBar* m_progress;
  QPushButton *m_mesh, *m_stop;
  void fill();
  void meshNext(int from);
};

} // namespace tess
