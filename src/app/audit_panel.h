// SPDX-License-Identifier: GPL-3.0-or-later
// The audit: verdict, metric with histogram and brush, limits, worst places, findings.
#pragma once
#include "app/histogram.h"
#include "job/run.h"
#include <QWidget>

class QComboBox;
class QLabel;
class QListWidget;
class QVBoxLayout;

namespace tess {

class AuditPanel : public QWidget {
  Q_OBJECT
public:
  explicit AuditPanel(QWidget* parent = nullptr);
  void setRun(std::shared_ptr<const RunResult> run);
  void setFindings(const std::vector<Problem>& findings);
  const std::vector<Problem>& findings() const { return m_findings; }
  Histogram* histogram() const { return m_histogram; }
  Metric metric() const;
  void setMetric(Metric m);
  /// Steps through the worst elements of the metric; emits showElement.
  void stepWorst(int by);

signals:
  void metricChanged(Metric metric);
  void brushChanged(const std::vector<std::int32_t>& cells, bool on);
  void showElement(std::int32_t cell);
  void showProblem(const Problem& problem);

protected:
  void resizeEvent(QResizeEvent* e) override;

private:
  void fitHeight();
  std::shared_ptr<const RunResult> m_run;
  std::vector<Problem> m_findings;
  QLabel *m_verdict, *m_detail, *m_definition, *m_worst, *m_findingsTitle;
  QComboBox* m_metric;
  Histogram* m_histogram;
  QVBoxLayout *m_box, *m_limits, *m_findingRows;
  int m_worstAt = -1;
  void refreshMetric();
  void refreshLimits();
};

} // namespace tess
