// SPDX-License-Identifier: GPL-3.0-or-later
// The viewport: part and mesh in one scene, drawn by VTK into a framebuffer of its own and painted from there like any
// image. A widget that OpenGL draws into would have the whole window put together by OpenGL, again with every change of
// a label: on the processor that took as long as many a picture. Picking is done on our own triangles, so that it does
// not depend on what the graphics card draws.
#pragma once
#include "app/camera_frame.h"
#include "app/number_labels.h"
#include "app/quality_scale.h"
#include "app/scene.h"
#include "app/view_look.h"
#include "base/bvh.h"
#include "job/edge_counts.h"
#include <QImage>
#include <QOffscreenSurface>
#include <QOpenGLContext>
#include <QSurfaceFormat>
#include <QTimer>
#include <QWidget>
#include <array>
#include <functional>
#include <memory>
#include <set>

class vtkActor;
class vtkGenericOpenGLRenderWindow;
class vtkPlane;
class vtkRenderer;
class QOpenGLFunctions_3_2_Core;
class QRubberBand;

namespace tess {

class HoverOutline;

/// A place on an edge that is dragged along it, or one that is dragged along a line in space.
struct EdgeHandle {
  int edge = -1;            ///< -1: along a line
  double share = 0;         ///< of the edge's length, from its start; of a line: the length from where it was
  int rule = -1, place = 0; ///< what it stands for: a rule of the brief, and which of its places
  Vec3 at = Vec3::Zero(), along = Vec3::Zero(); ///< of a line: where it was, and a unit vector
  std::vector<double> snaps = {};               ///< of a line: lengths at which it comes to rest, ascending
};

class Viewport : public QWidget {
  Q_OBJECT
public:
  explicit Viewport(QWidget* parent = nullptr);
  ~Viewport() override;

  /// What it asks of OpenGL.
  static QSurfaceFormat format();
  /// Takes over the colours that hold now.
  void applyTheme();
  void setPart(std::shared_ptr<const Part> part);
  /// `look` as of lookAt(); made here when it is missing. `ofThisPart` false: the part was another one for this run, so
  /// its lines are not drawn with the mesh, and groups are those of the run.
  void setRun(std::shared_ptr<const RunResult> run, std::shared_ptr<const MeshLook> look = nullptr,
              bool ofThisPart = true);
  void setGroups(const std::vector<ResolvedGroup>& groups);
  void setSizeField(std::shared_ptr<const SizeField> field, std::shared_ptr<const SizeShade> shade);
  const SizeField* sizeField() const { return m_field.get(); }
  void setLens(Lens lens);
  void setMetric(Metric metric);
  Lens lens() const { return m_show.lens; }
  void setMeshShown(bool on);
  bool meshShown() const { return m_show.mesh; }
  void setEdgesShown(bool on);
  bool edgesShown() const { return m_show.edges; }
  /// See-through: surfaces let what lies behind them shine through.
  void setSeeThrough(bool on);
  bool seeThrough() const { return m_show.seeThrough; }
  /// Cells drawn apart, smaller than they are.
  void setShrunk(bool on);
  bool shrunk() const { return m_show.shrunk; }
  /// Edges without the surfaces between them.
  void setLinesOnly(bool on);
  bool linesOnly() const { return m_show.linesOnly; }
  /// Handles over the picture, until others are set; dragging one tells handleMoved().
  void setHandles(std::vector<EdgeHandle> handles);
  const std::vector<EdgeHandle>& handles() const { return m_handles; }
  QPointF handleAt(const EdgeHandle& handle) const;
  /// Whether nothing of the part stands before p, sections and hidden faces left out; always where faces are not drawn
  /// or seen through.
  bool inSight(const Vec3& p) const;
  /// Numbers at the nodes and elements that are chosen: those of the place or range on show, else at the nodes on what
  /// is selected. None where there are more than kMostNumbers.
  void setNumbersShown(bool on);
  bool numbersShown() const { return m_show.numbers; }
  static constexpr std::size_t kMostNumbers = 400;
  const std::vector<NumberLabel>& numbers() const { return m_numbers; }
  /// How many of them are drawn: not those at nodes behind the part.
  std::size_t numbersDrawn() const { return m_labels->count(); }
  bool tooManyNumbers() const { return m_tooManyNumbers; }
  /// What is planned for bodies and faces; where the mesh of a run is drawn, what that run did is told instead. Drawn
  /// with the next groups.
  void setPlan(std::vector<BodyPlan> bodies, std::vector<FacePlan> faces);
  /// Stand as numbers on edges in the lens Method before meshing; those that follow a chosen edge in the accent colour.
  void setEdgeCounts(EdgeCounts counts);
  const EdgeCounts& edgeCounts() const { return m_edgeCounts; }
  std::size_t edgeCountsDrawn() const { return m_countsDrawn; }
  const std::vector<BodyPlan>& bodyPlans() const;
  /// Who decided what a face is made of; null where that is not known.
  const FacePlan* facePlan(int face) const;
  /// Words on bodies in the lens Method.
  std::size_t methodsDrawn() const { return m_methods->count() - m_countsDrawn; }
  void setPickDim(Dim d);
  Dim pickDim() const { return m_pickDim; }
  const std::set<int>& selection() const { return m_selection; }
  void select(Dim dim, const std::set<int>& entities);
  /// Lights entities without selecting them (a card's target under the pointer); empty: none.
  void light(Dim dim, const std::set<int>& entities);
  const std::set<int>& lit() const { return m_lit; }
  /// Nodes on edges and lines in space that a rule would give; empty: none.
  void showMarks(const std::vector<Vec3>& marks, const std::vector<std::array<Vec3, 2>>& outline);
  /// Of the points that are chosen or lit: those in sight.
  std::size_t pointsDrawn() const;
  std::size_t markCount() const { return m_marks; }
  std::size_t outlineCount() const { return m_outline; }
  /// Of the lens Edges: edges of one face, and of three or more, of what is drawn.
  std::size_t openEdges() const { return m_openEdges; }
  std::size_t sharedEdges() const { return m_sharedEdges; }
  const ViewLook& look() const { return m_show; }
  /// Camera and look, to come back to; as text for a settings file.
  QString viewState() const;
  /// False when the text is none of viewState().
  bool setViewState(const QString& state);
  void hideSelection();
  void showOnlySelection();
  void showAll();
  /// What bars cover at the rims of the view. fit() and flyTo() use what is free; nothing moves before.
  void setCovered(const QMargins& margins);
  void fit();
  void view(const Vec3& direction, const Vec3& up);
  void flyTo(const Vec3& target, double extent);
  /// Shows only these cells, whole; the rest becomes a ghost. Empty and `on` false: back to normal.
  void setBrushed(const std::vector<std::int32_t>& cells, bool on);
  std::size_t brushedCount() const { return m_brushed.size(); }
  /// How many of them are drawn: the worst by the metric shown, where there are very many.
  std::size_t brushedDrawn() const { return m_brushDrawn.size(); }
  /// Sections hold, or are put by until they are wanted again; the first one is made when there is none.
  void setSection(bool on);
  bool sectionOn() const { return m_show.cut; }
  /// Another section, on the next axis; it becomes the active one. Up to ViewLook::kMostSections.
  void addSection();
  /// Takes the active section away.
  void dropSection();
  void activateSection(std::size_t index);
  void nextSectionAxis();         ///< of the active section, as the following are
  void moveSection(double share); ///< by a share of the part's extent along its normal
  void placeSection(double offset);
  void flipSection(); ///< cuts the other side away
  /// A section through two places on the widget, along the view; what lies to the right of the way from the first to
  /// the second goes away.
  void drawSection(const QPointF& from, const QPointF& to);
  /// The next drag draws a section.
  void awaitSection(bool on);
  void setSectionManner(SectionManner m);
  SectionManner sectionManner() const { return m_show.manner; }
  std::size_t sectionCells() const { return m_sectionCells; }
  /// Entity under a widget position, or -1; used by hover and picks.
  int pick(const QPointF& at) const;
  /// The same when the drawn triangle there and its distance are known.
  int pick(const QPointF& at, int triangle, double distance) const;
  QPointF project(const Vec3& p) const;
  /// Entities of the kind picked that lie wholly inside a rectangle on the screen, hidden ones left out.
  std::set<int> inside(const QRectF& box) const;
  /// Range of the size lens in the part's unit; 0, 0 without a field.
  std::pair<double, double> sizeRange() const;
  /// The quality lens's scale; only with a run.
  QualityScale qualityScale() const;
  Metric metric() const { return m_show.metric; }
  /// Looks the way another view does: camera and look; sizes and groups too where both
  /// show the same part. Does nothing when it does already.
  void follow(const Viewport& lead);
  /// Takes over the camera alone.
  void followCamera(const Viewport& lead);
  /// Lines drawn round what is under the pointer.
  std::size_t hoverLines() const;
  /// The 3D picture as drawn now, for tests and exports.
  QImage picture();

signals:
  /// The pointer is over the part's surface; `face` -1: it left it.
  void surfaceHovered(int face, const Vec3& at, const QPointF& where);
  void selectionChanged();
  void menuRequested(const QPoint& at);
  void sectionChanged();
  void brushDrawn();
  void numbersChanged();
  /// While a handle is dragged, and once more when it is let go (`done`).
  void handleMoved(const tess::EdgeHandle& handle, bool done);
  void drawn();

protected:
  void resizeEvent(QResizeEvent* e) override;
  void paintEvent(QPaintEvent* e) override;
  void mousePressEvent(QMouseEvent* e) override;
  void mouseMoveEvent(QMouseEvent* e) override;
  void mouseReleaseEvent(QMouseEvent* e) override;
  void wheelEvent(QWheelEvent* e) override;
  void leaveEvent(QEvent* e) override;

private:
  struct Impl;
  std::unique_ptr<Impl> d;
  QOffscreenSurface m_surface;
  std::unique_ptr<QOpenGLContext> m_context;
  QImage m_image; ///< the picture as it was last drawn
  std::shared_ptr<const Part> m_part;
  std::shared_ptr<const RunResult> m_run;
  std::shared_ptr<const MeshLook> m_look; ///< of the run's mesh
  struct Drawn {                          ///< a surface as it was last made
    std::shared_ptr<const void> of;       ///< the run or the part
    std::set<int> hidden;                 ///< faces of the part
    PaintedSurface surface;
  } m_drawnMesh, m_drawnCoarse, m_drawnPart;
  std::shared_ptr<const SizeField> m_field;
  std::shared_ptr<const SizeShade> m_shade;
  std::vector<int> m_groupOfFace, m_groupOfRunFace; ///< of the part; of the mesh, where it is of another one
  std::vector<char> m_followed;                     ///< edges of the part that are lines of the mesh
  bool m_ofThisPart = true;
  ViewLook m_show;
  bool m_brush = false;
  bool m_awaitsSection = false;
  std::size_t m_sectionCells = 0;
  Dim m_pickDim = Dim::Face;
  std::set<int> m_selection;
  int m_hover = -1;
  HoverOutline* m_outline2d = nullptr; ///< of what is hovered
  std::vector<Vec3> m_points;          ///< chosen or lit
  std::vector<char> m_pointInSight;
  std::vector<NumberLabel> m_numbers;
  std::vector<char> m_numberInSight; ///< of the last picture at rest
  std::size_t m_numbersTold = 0;     ///< drawn when numbersChanged() was last said
  std::vector<EdgeHandle> m_handles;
  int m_heldHandle = -1;
  bool m_handleMoved = false; ///< since it is held
  bool m_tooManyNumbers = false;
  NumberLabels *m_labels = nullptr, *m_methods = nullptr;
  std::vector<BodyPlan> m_bodyPlans;
  EdgeCounts m_edgeCounts;
  std::vector<std::optional<Vec3>> m_countAt; ///< per part edge: where its number stands, if seen
  std::size_t m_countsDrawn = 0;
  std::vector<FacePlan> m_facePlans;
  bool tellsRun() const;
  Fill fillOf(int body) const;
  void placeMethods();
  void placeEdgeCounts(std::vector<NumberLabel>& labels, std::vector<QPointF>& at);
  Vec3 methodPlace(int face) const;
  std::vector<std::optional<Vec3>> m_methodAt; ///< per body, where its word stands; none where no face is seen
  std::set<int> m_lit;
  Dim m_litDim = Dim::Face;
  std::size_t m_marks = 0, m_outline = 0, m_openEdges = 0, m_sharedEdges = 0;
  Box m_outlineBox; ///< of the lines in space
  std::set<int> m_hiddenFaces;
  std::vector<std::int32_t> m_brushed, m_brushDrawn;
  QTimer m_brushRest; ///< more of what is chosen is drawn when the choice rests
  Bvh m_tree;
  QPointF m_last, m_pressed;
  QMargins m_covered, m_centredFor; ///< by bars now; and what the picture is centred for
  bool m_fitted = false;            ///< the last way to stand was fit(), which holds when the view's size changes
  QRubberBand* m_band = nullptr;
  bool m_dragging = false;
  bool m_moving = false;     ///< the camera or the section moves: what is slow to draw waits until it rests
  bool m_quick = false;      ///< the picture changed: on a slow GL it is smoothed a moment later
  bool m_linesAlone = false; ///< as the graphics programs have it
  bool m_compiled = false;   ///< the programs for the graphics of what lights up
  bool m_slow = false;       ///< whole pictures take longer than a software GL's may
  QTimer m_rest;
  double m_smoothMs = 0;                                              ///< that smoothing took last
  int m_restMs = 0;                                                   ///< until the next picture is drawn or smoothed
  enum class Picture { Old, Rough, Smooth } m_picture = Picture::Old; ///< what was drawn last, against the scene
  bool m_wholeCells = false; ///< the section shows the cells it crosses, without the surface

  template <class Make>
  PolyData painted(Drawn& last, const std::shared_ptr<const void>& of, Make&& make,
                   const std::function<QColor(std::size_t)>& color);
  void rebuildPart();
  void rebuildMesh();
  void rebuildHighlight();
  void rebuildSection();
  void recut();
  void rebuildOddEdges();
  void rebuildNumbers();
  void placeNumbers();
  void placeHandles();
  void placePoints();
  Vec3 handlePoint(const EdgeHandle& handle) const;
  bool handleShows(const EdgeHandle& handle) const;
  double lengthNear(const EdgeHandle& handle, const QPointF& p) const;
  /// Share of an edge's length at the place of it that is nearest on the screen.
  double shareNear(int edge, const QPointF& at) const;
  void chooseBrushDrawn(std::size_t most);
  void moreBrushedLater();
  void drawBrushed(std::size_t most);
  /// Odd edges lie inside as often as not.
  bool shinesThrough() const { return m_show.seeThrough || m_show.lens == Lens::Edges; }
  bool drawsMesh() const;
  bool standsIn() const; ///< whether the part's own surface takes the mesh's place while the view moves
  void moving();
  void redraw(); ///< update(), at once on a slow GL and smoothed when nothing follows
  void placeDepths();
  void pushNearPlane();
  /// False where there is no GL.
  bool makeCurrent();
  void startDrawing(); ///< into the context, once
  void renew();        ///< makes the picture what the scene is now, where it is not
  void drawScene(QOpenGLFunctions_3_2_Core& gl);
  void compilePrograms();
  void setDetail();
  void setLineManner();
  void hoverOver(int entity);
  /// Lines on the screen round an entity, where nothing hides them.
  std::vector<QPolygonF> outlineOf(Dim dim, int entity) const;
  QColor faceColor(int face) const;
  /// Colour per cell, and that of its quality; only with a run.
  std::function<QColor(std::size_t)> cellColors() const;
  std::function<QColor(std::size_t)> qualityColors() const;
  QColor sizeColor(double h) const;
  /// Display triangle under a position and its distance from the eye; -1 for none.
  int hitTriangle(const QPointF& at, double& distance) const;
  CameraFrame frame() const;
  /// Looks at a target from so far away, in the direction as it is.
  void lookAlong(const Vec3& target, double distance);
  /// Shifts the picture into the middle of what m_centredFor leaves.
  void centrePicture();
  /// Centres the picture in what is not covered now; returns its size.
  QSize freeForPicture();
  /// Null where nothing is cut, as when there is no part.
  Section* activeSection() { return m_part && m_show.cut ? &m_show.sections[m_show.active] : nullptr; }
  std::pair<double, double> extentAlong(const Vec3& normal) const; ///< of the part
  /// Through the middle of the part, facing the viewer.
  Section sectionAcross(int axis) const;
  /// The section whose cut lies under a position, or the active one.
  std::size_t sectionUnder(const QPointF& at) const;
  void turn(const QPointF& delta);
  void pan(const QPointF& delta);
};

} // namespace tess
