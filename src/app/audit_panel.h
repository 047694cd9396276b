// SPDX-License-Identifier: GPL-3.0-or-later
// The audit: verdict, metric with histogram and brush, limits, worst places, findings.
#pragma once
#include "app/histogram.h"
#include "audit/places.h"
#include "job/run.h"
#include "mesh/cell_faces.h"
#include <QWidget>
#include <map>

class QComboBox;
class QLabel;
class QLineEdit;
class QToolButton;
class QVBoxLayout;

namespace tess {

class ClassBar;
class AuditPanel : public QWidget {
  Q_OBJECT
public:
  explicit AuditPanel(QWidget* parent = nullptr);
  void setRun(std::shared_ptr<const RunResult> run);
  /// What the card of an element says beside its metrics: its neighbours, and the size that the brief asks for there
  /// (null: nothing).
  void setNeighbours(std::shared_ptr<const Neighbours> near);
  void setSizes(std::shared_ptr<const SizeField> sizes);
  void setFindings(const std::vector<Problem>& findings);
  const std::vector<Problem>& findings() const { return m_findings; }
  /// Leaves the findings that hold its words; there when the findings are many.
  QLineEdit* findingFilter() const { return m_findingFilter; }
  Histogram* histogram() const { return m_histogram; }
  Metric metric() const;
  void setMetric(Metric m);
  /// Which elements the histogram counts: 0 all, then one entry per region and per element type of the mesh.
  QComboBox* counted() const { return m_counted; }
  /// Steps through the worst places of the metric; emits showPlace.
  void stepWorst(int by);
  /// The card of one element, by its index; emits showPlace.
  void showElement(std::int32_t cell);
  const std::vector<WorstPlace>& places() const { return m_places; }
  /// Leaves the places whose words hold those typed; there when the places are many. Stepping keeps to them.
  QLineEdit* placeFilter() const { return m_placeFilter; }
  /// Which of places() are listed.
  const std::vector<int>& placesListed() const { return m_listed; }
  QString elementCard() const;

signals:
  void metricChanged(Metric metric);
  void brushChanged(const std::vector<std::int32_t>& cells, bool on);
  /// The cells of a place, the worst of them, and where it lies.
  void showPlace(const std::vector<std::int32_t>& cells, std::int32_t worst);
  /// The mesh shall be made better at these cells.
  void improveWanted(const std::vector<std::int32_t>& cells);
  /// A node of an element's card was clicked.
  void nodeWanted(std::int32_t node);
  /// The elements that fail a limit shall become a set of the mesh.
  void keepFailing();
  /// The limits shall be changed.
  void editLimits();
  /// What fails this limit shall be accepted for a reason.
  void acceptWanted(const Limit& limit, double worst);
  void showProblem(const Problem& problem);
  void fixProblem(const Problem& problem);

protected:
  void resizeEvent(QResizeEvent* e) override;

private:
  void fitHeight();
  std::shared_ptr<const RunResult> m_run;
  std::shared_ptr<const Neighbours> m_near;
  std::shared_ptr<const SizeField> m_sizes;
  std::int32_t m_onCard = -1; ///< element of the card
  std::vector<Problem> m_findings;
  std::map<std::string, std::size_t> m_leafed; ///< by kind of finding: the one its card shows
  ClassBar* m_classes;
  QLabel *m_verdict, *m_detail, *m_definition, *m_worst, *m_findingsTitle;
  QComboBox *m_metric, *m_counted;
  QToolButton *m_heights, *m_findingsAhead;
  Histogram* m_histogram;
  QToolButton* m_editLimits;
  QVBoxLayout *m_box, *m_limits, *m_findingRows, *m_card;
  QLineEdit* m_findingFilter;
  QLabel* m_worstTitle;
  std::vector<WorstPlace> m_places; ///< of the metric on show
  std::size_t m_placed = 0;         ///< elements that these hold
  std::vector<int> m_listed;        ///< of them, those that the filter leaves
  int m_worstAt = -1;               ///< of these, the one on show
  QVBoxLayout* m_placeRows;
  QToolButton* m_improve;
  std::vector<std::int32_t> m_here; ///< cells on show: of a place, or one chosen by its number
  QLineEdit* m_placeFilter;
  QString whereIs(const WorstPlace& p) const;
  void listPlaces();
  void fillPlaces();
  void showWorst(int at);
  void fillCard(std::int32_t cell);
  void refreshMetric();
  void refreshHistogram();
  void fillCounted();
  void refreshLimits();
  void fillFindings();
};

} // namespace tess
