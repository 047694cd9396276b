// SPDX-License-Identifier: GPL-3.0-or-later
// The middle of the window: the viewport, what floats over it (lenses, selection, section, what is shown, size under
// the pointer), and the second viewport of a comparison.
#pragma once
#include "app/mesh_worker.h"
#include "app/size_tile.h"
#include "app/viewport.h"
#include "job/proposals.h"
#include <QTimer>
#include <QWidget>

class QFrame;
class QLabel;
class QLineEdit;
class QSplitter;
class QToolButton;

namespace tess {

/// A run with what is needed to show it, and its number in the bar (from 1).
struct ShownRun {
  std::shared_ptr<const RunResult> run;
  std::shared_ptr<const MeshLook> look;
  int number = 0;
  bool ofThisPart = true; ///< else the part has changed since: its lines and groups are not those of the mesh
};

class ViewPane : public QWidget {
  Q_OBJECT
public:
  /// Without OpenGL a text stands in the view's place, and the functions below do nothing.
  explicit ViewPane(bool openGl);
  Viewport* view() const { return m_view; } ///< null without OpenGL
  Viewport* besideView() const { return m_beside; }
  SizeTile* sizeTile() const { return m_tile; }
  WhyBox* whyBox() const { return m_why; }
  LensScale* lensScale() const { return m_scale; }
  QLineEdit* sectionPlace() const { return m_planeAt; }
  static const QStringList& lensNames();

  /// Shows a part, without a run.
  void setPart(std::shared_ptr<const Part> part);
  void setRun(const ShownRun& shown);
  void setSizeField(std::shared_ptr<const SizeField> field, std::shared_ptr<const SizeShade> shade);
  void setMetric(Metric metric);
  void setLens(int index);
  /// Measures of the selection.
  void setMeasures(const std::vector<Measure>& measures);
  /// Words for the deciding rule of a size, by the number in SizeReason.
  void nameReasonsBy(std::function<QString(int)> name) { m_reasonName = std::move(name); }
  /// Another run beside the one on show, with linked cameras; `part`: the part as it was for it.
  void showBeside(const ShownRun& other, std::shared_ptr<const Part> part);
  void hideBeside();
  /// What the view shows and picks, in words; said again after changes made to the view itself.
  void showHint();
  QString hint() const;
  void applyTheme();

signals:
  void groupWanted();
  void sizeWanted();
  void takeInWanted(tess::Alike how);
  void measureWanted(const tess::Measure& measure);
  void reasonClicked(int rule);
  void selectionChanged();

protected:
  void resizeEvent(QResizeEvent* e) override;
  bool eventFilter(QObject* o, QEvent* e) override;

private:
  std::shared_ptr<const Part> m_part;
  ShownRun m_shown, m_other;
  Viewport *m_view = nullptr, *m_beside = nullptr;
  QSplitter* m_views = nullptr;
  QLabel* m_besideText = nullptr;
  QFrame *m_lensStrip = nullptr, *m_selectionBar = nullptr, *m_sectionBar = nullptr;
  QLabel *m_selectionText = nullptr, *m_hint = nullptr, *m_sectionText = nullptr;
  QToolButton *m_manner = nullptr, *m_another = nullptr, *m_fewer = nullptr;
  std::vector<QToolButton*> m_planes; ///< by section
  QLineEdit* m_planeAt = nullptr;     ///< of the active one
  QWidget* m_measureRow = nullptr;
  std::vector<QToolButton*> m_lensButtons;
  SizeTile* m_tile = nullptr;
  WhyBox* m_why = nullptr;
  LensScale* m_scale = nullptr;
  int m_methodFace = -1; ///< under the pointer in the lens Method
  QTimer m_whyTimer;
  Vec3 m_whyAt = Vec3::Zero();
  int m_whyFace = -1;
  QPointF m_whyWhere;
  std::function<QString(int)> m_reasonName;

  void buildLenses();
  void buildSelectionBar();
  void buildSectionBar();
  void showMenu(const QPoint& at);
  void place();
  void fitLensStrip();
  int m_fittedWidth = -1; ///< of the view the strip of lenses was fitted to
  void showSelection();
  void showSection();
  void namePlanes();
  void placeTyped();
  void showScale();
  void sayBeside(); ///< what the second run is, and whether it is the better one by the metric shown
  void hoverSurface(int face, const Vec3& at, const QPointF& where);
  void explainSize();
};

} // namespace tess
