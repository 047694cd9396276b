// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/viewport.h"
#include "app/hover_outline.h"
#include "app/theme.h"
#include <QElapsedTimer>
#include <QJsonArray>
#include <QJsonDocument>
#include <QLineF>
#include <QMouseEvent>
#include <QOpenGLFunctions_3_2_Core>
#include <QOpenGLVersionFunctionsFactory>
#include <QPainter>
#include <QRubberBand>
#include <QWheelEvent>
#include <cmath>
#include <map>
#include <numbers>
#include <utility>
#include <vtkActor.h>
#include <vtkCallbackCommand.h>
#include <vtkCamera.h>
#include <vtkDataObject.h>
#include <vtkGenericOpenGLRenderWindow.h>
#include <vtkMapper.h>
#include <vtkNew.h>
#include <vtkOpenGLFXAAFilter.h>
#include <vtkOpenGLFramebufferObject.h>
#include <vtkOpenGLRenderer.h>
#include <vtkOpenGLState.h>
#include <vtkPlane.h>
#include <vtkPolyDataMapper.h>
#include <vtkProperty.h>
#include <vtkRenderer.h>
#include <vtkShaderProperty.h>
#include <vtkUniforms.h>

namespace tess {
namespace {
constexpr double kShrink = 0.78;               ///< of a cell's size when cells are drawn apart
constexpr std::size_t kBrushedInMotion = 8000; ///< cells drawn while a choice changes
constexpr std::size_t kBrushedAtRest = 150000; ///< and afterwards; more would take seconds and hide each other
constexpr std::size_t kBrushedMore = 5;        ///< times as many with every rest until then
constexpr int kBrushRestMs = 250;
constexpr double kSlowMs = 30; ///< a picture that takes longer, smoothed, is smoothed at rest only
constexpr int kRestMs = 40;
constexpr int kSmoothMs = 250;              ///< of a picture that changed without moving: another keystroke may follow
constexpr std::ptrdiff_t kOutlined = 20000; ///< triangles whose silhouette is looked for under the pointer

/// Share of a face's colour that needs no light. More on meshes, whose lines would drown in the shade.
constexpr double kAmbient = 0.18, kAmbientOfMesh = 0.38, kAmbientOfValues = 0.5;
/// Light from above, a little from below, from the eye and from both sides behind, as one sum: the drawing library's
/// own lights cost a power function each, which a software GL feels at every pixel. Directions are the viewer's.
constexpr const char* kLight = R"(
  vec3 n = normalVCVSOutput;
  vec3 light = max(0.0, dot(n, vec3(0.112, 0.766, 0.633))) * vec3(0.92, 0.90, 0.86)
             + max(0.0, dot(n, vec3(0.0, -0.966, 0.259))) * vec3(0.39, 0.41, 0.42)
             + max(0.0, n.z) * vec3(0.307)
             + (max(0.0, dot(n, vec3(0.94, 0.0, -0.342))) + max(0.0, dot(n, vec3(-0.94, 0.0, -0.342)))) * vec3(0.263);
  fragOutput0 = vec4(ambientColor + diffuseColor * light, opacity);
)";
/// How far surfaces are pushed back, so that lines on them are whole: by their slope, and in steps of the depth.
constexpr float kPushSlope = 1, kPushSteps = 340;
/// Of what lies on a surface, as much the other way.
constexpr const char* kForth =
    "gl_FragDepth = gl_FragCoord.z - length(vec2(dFdx(gl_FragCoord.z), dFdy(gl_FragCoord.z))) - 0.00002;";
/// Lines and points on surfaces come forward by what placeDepths() says.
constexpr const char* kForward = "gl_FragDepth = gl_FragCoord.z - forward;";
/// Behind all else, and in order among themselves: surfaces of the ghost, and its lines just before them.
constexpr const char* kBehind = "gl_FragDepth = 1.0 - (1.0 - gl_FragCoord.z) * 0.002;";
constexpr const char* kBehindLines = "gl_FragDepth = 1.0 - (1.0 - gl_FragCoord.z) * 0.002 - 0.00001;";
/// Lines of elements, by what kSides tells of each corner: the distance of a pixel from the three sides, which is one
/// at the corner opposite; over its slope it is the distance in pixels. Lines are as wide as a pixel, half of it on
/// either side, and fainter where elements are few pixels wide, or they would cover what they divide.
constexpr const char* kSidesIn = R"(//VTK::PositionVC::Dec
  in float sides;
  out vec3 fromSidesVSOutput;
  out float heightVSOutput;)";
constexpr const char* kSidesOut = R"(//VTK::PositionVC::Impl
  int code = int(sides + 0.5), corner = code & 3;
  fromSidesVSOutput = vec3((corner == 0 || (code & 4) == 0) ? 1.0 : 0.0, (corner == 1 || (code & 8) == 0) ? 1.0 : 0.0,
                           (corner == 2 || (code & 16) == 0) ? 1.0 : 0.0);
  heightVSOutput = (code & 32) == 0 ? 1.0 : 2.0;)";
constexpr const char* kFromSidesIn = R"(//VTK::PositionVC::Dec
  in vec3 fromSidesVSOutput;
  in float heightVSOutput;)";
constexpr const char* kLines = R"(
  vec3 sx = dFdx(fromSidesVSOutput), sy = dFdy(fromSidesVSOutput);
  vec3 slope = max(sx * sx + sy * sy, vec3(1e-12));
  vec3 away = fromSidesVSOutput * fromSidesVSOutput / slope;
  float steepest = max(slope.x, max(slope.y, slope.z));
  float line = clamp(0.5 + 0.5 * lineWidth - sqrt(min(away.x, min(away.y, away.z))), 0.0, 1.0)
             * clamp(lineWidth * heightVSOutput * inversesqrt(steepest) / 6.0, 0.12, 1.0);
)";
/// Failing elements are hatched: no meaning by colour alone. Nothing else has their very colour where colour is
/// quality.
constexpr const char* kHatch = R"(
  if (distance(ambientColor + diffuseColor, hatchedColor) < 0.01)
    fragOutput0.rgb = mix(fragOutput0.rgb, lineInk, 0.75 * step(fract((gl_FragCoord.x + gl_FragCoord.y) / hatchStep), 0.28));
  if (distance(ambientColor + diffuseColor, crossHatchedColor) < 0.01)
    fragOutput0.rgb = mix(fragOutput0.rgb, lineInk, 0.75 * step(fract((gl_FragCoord.x - gl_FragCoord.y) / hatchStep), 0.28));
)";
constexpr double kHatchStep = 6; ///< pixels
constexpr const char* kInk = "fragOutput0 = mix(fragOutput0, vec4(lineInk, 1.0), line);";
constexpr const char* kInkAlone = "if (line < 0.02) discard; fragOutput0 = vec4(lineInk, line);";
constexpr double kAmbientOfGhost = 0.6;

QColor mixed(const QColor& a, const QColor& b, double share) {
  auto mix = [share](double x, double y) { return static_cast<float>((1 - share) * x + share * y); };
  return QColor::fromRgbF(mix(a.redF(), b.redF()), mix(a.greenF(), b.greenF()), mix(a.blueF(), b.blueF()));
}

QColor ghostColor() { return mixed(theme::viewport, theme::part, 0.3); }
} // namespace

struct Viewport::Impl {
  vtkNew<vtkGenericOpenGLRenderWindow> window;
  vtkNew<vtkRenderer> renderer;
  vtkNew<vtkOpenGLFXAAFilter> smoother;
  std::array<vtkNew<vtkPlane>, ViewLook::kMostSections> clip;
  struct Layer {
    vtkNew<vtkPolyDataMapper> mapper;
    vtkNew<vtkActor> actor;
    float pixels = 1; ///< width of its lines, size of its points
  };
  Layer part, partEdges, mesh, coarse, selected, selectedEdges, hover, hoverEdges, cells, marks, outline, openEdges,
      sharedEdges;
  /// The part behind chosen cells: as if one looked into it through the near side. Opaque and behind everything, since
  /// layers that shine through must be sorted, which takes a software GL most of a picture's time.
  Layer ghost, ghostEdges;
  std::array<Layer, ViewLook::kMostSections> cut; ///< by section
  std::vector<Layer*> all() {
    std::vector<Layer*> r{&part,          &partEdges, &mesh,        &coarse, &selected,
                          &selectedEdges, &hover,     &hoverEdges,  &cells,  &marks,
                          &outline,       &openEdges, &sharedEdges, &ghost,  &ghostEdges};
    for (Layer& l : cut) r.push_back(&l);
    return r;
  }
  /// Lines and points on surfaces, which would cut them in half.
  std::vector<Layer*> above() {
    return {&partEdges, &selectedEdges, &hoverEdges, &marks, &outline, &openEdges, &sharedEdges};
  }
  /// Surfaces of elements, with their lines.
  std::vector<Layer*> meshed() {
    std::vector<Layer*> r{&mesh, &coarse, &cells};
    for (Layer& l : cut) r.push_back(&l);
    return r;
  }
  /// Layers whose surfaces are lit.
  std::vector<Layer*> solids() {
    auto r = meshed();
    r.push_back(&part);
    return r;
  }
  void put(Layer& l, const PolyData& d) {
    if (l.mapper->GetInput() != d) l.mapper->SetInputData(d); // what stays is not sent to the graphics memory again
    l.actor->SetVisibility(d && d->GetNumberOfCells() > 0);
  }
};

QSurfaceFormat Viewport::format() {
  QSurfaceFormat f;
  f.setVersion(3, 2);
  f.setProfile(QSurfaceFormat::CoreProfile);
  f.setOption(QSurfaceFormat::DeprecatedFunctions); // lines wider than a pixel count as deprecated
  f.setDepthBufferSize(24);
  f.setSamples(0);
  return f;
}

Viewport::Viewport(QWidget* parent) : QWidget(parent), d(std::make_unique<Impl>()) {
  setAttribute(Qt::WA_OpaquePaintEvent);
  setMouseTracking(true);
  setFocusPolicy(Qt::StrongFocus);
  setAccessibleName(tr("3D view of part and mesh"));
  setMinimumSize(300, 240);
  d->window->AddRenderer(d->renderer);
  d->window->SetMultiSamples(0);
  d->renderer->SetBackgroundAlpha(1.0);
  d->renderer->SetMaximumNumberOfPeels(6);
  d->renderer->SetOcclusionRatio(0.02);
  for (auto* l : d->all()) {
    l->actor->SetMapper(l->mapper);
    l->actor->SetVisibility(false);
    l->mapper->SetScalarModeToUseCellData();
    d->renderer->AddActor(l->actor);
    l->actor->GetProperty()->SetAmbient(kAmbient);
    l->actor->GetProperty()->SetDiffuse(1 - kAmbient);
    l->actor->GetProperty()->SetSpecular(0.0);
  }
  for (auto* l : {&d->part, &d->selected, &d->hover, &d->ghost})
    l->actor->GetShaderProperty()->AddFragmentShaderReplacement(
        "//VTK::Light::Impl", true, l == &d->part ? std::string(kLight) + kHatch : kLight, false);
  for (auto* l : {&d->selected, &d->hover}) {
    l->mapper->SetScalarVisibility(false);
    l->actor->GetShaderProperty()->AddFragmentShaderReplacement("//VTK::Coincident::Impl", true, kForth, false);
    l->actor->GetProperty()->SetOpacity(l == &d->hover ? 0.22 : 0.45);
    l->actor->ForceOpaqueOn(); // mixed with what lies there already: nothing of theirs lies behind it to be sorted
  }
  for (auto* l : d->meshed()) {
    auto* p = l->actor->GetShaderProperty();
    l->mapper->MapDataArrayToVertexAttribute("sides", kSides, vtkDataObject::FIELD_ASSOCIATION_POINTS, -1);
    p->AddVertexShaderReplacement("//VTK::PositionVC::Dec", true, kSidesIn, false);
    p->AddVertexShaderReplacement("//VTK::PositionVC::Impl", true, kSidesOut, false);
    p->AddFragmentShaderReplacement("//VTK::PositionVC::Dec", true, kFromSidesIn, false);
  }
  setLineManner();
  for (auto* l : d->above()) {
    l->actor->GetProperty()->SetLighting(false);
    l->actor->GetShaderProperty()->AddFragmentShaderReplacement("//VTK::Coincident::Impl", true, kForward, false);
  }
  for (auto* l : {&d->marks, &d->outline, &d->openEdges, &d->sharedEdges, &d->hoverEdges})
    l->mapper->SetScalarVisibility(false);
  d->ghost.actor->GetProperty()->SetFrontfaceCulling(true);
  d->ghost.actor->GetProperty()->SetAmbient(kAmbientOfGhost);
  d->ghost.actor->GetProperty()->SetDiffuse(1 - kAmbientOfGhost);
  d->ghostEdges.actor->GetProperty()->SetLighting(false);
  d->ghost.actor->GetShaderProperty()->AddFragmentShaderReplacement("//VTK::Coincident::Impl", true, kBehind, false);
  d->ghostEdges.actor->GetShaderProperty()->AddFragmentShaderReplacement("//VTK::Coincident::Impl", true, kBehindLines,
                                                                         false);
  d->partEdges.pixels = d->outline.pixels = 1.6f;
  d->hoverEdges.pixels = d->sharedEdges.pixels = 3;
  d->selectedEdges.pixels = d->marks.pixels = 4;
  d->openEdges.pixels = 5;
  d->renderer->GetActiveCamera()->SetViewAngle(24);
  m_rest.setSingleShot(true);
  connect(&m_rest, &QTimer::timeout, this, [this] {
    m_quick = m_moving && m_slow; // the whole picture first, and smoothed when that is there
    if (std::exchange(m_moving, false)) {
      setDetail();
      m_picture = Picture::Old;
    }
    update();
  });
  m_brushRest.setSingleShot(true);
  m_brushRest.setInterval(kBrushRestMs);
  connect(&m_brushRest, &QTimer::timeout, this,
          [this] { drawBrushed(std::min(kBrushedMore * m_brushDrawn.size(), kBrushedAtRest)); });
  m_labels = new NumberLabels(this);
  m_methods = new NumberLabels(this);
  m_outline2d = new HoverOutline(this);
  applyTheme();
}

void Viewport::moving() {
  m_picture = Picture::Old;
  m_restMs = kRestMs;
  m_rest.stop(); // counted from the next picture on
  hoverOver(-1);
  if (m_moving) return;
  m_moving = true;
  setDetail();
}

void Viewport::redraw() {
  m_picture = Picture::Old;
  if (m_slow) {
    m_rest.stop();
    m_quick = true;
    if (!m_moving) m_restMs = kSmoothMs;
  }
  update();
}

void Viewport::setLineManner() {
  const std::string lit = std::string(kLight) + kLines + kHatch + (m_linesAlone ? kInkAlone : kInk);
  for (auto* l : d->meshed())
    l->actor->GetShaderProperty()->AddFragmentShaderReplacement("//VTK::Light::Impl", true, lit, false);
}

/// What stands in for a fine mesh while the picture moves, and how lines of elements are drawn.
void Viewport::setDetail() {
  auto count = [](const Impl::Layer& l) {
    auto* in = l.mapper->GetInput();
    return in ? in->GetNumberOfCells() : 0;
  };
  const bool swap = m_moving && standsIn();
  d->part.actor->SetVisibility(count(d->part) > 0 && (swap || !standsIn()));
  // Sorting what shines through takes seconds: the part's own edges will do to aim by.
  const bool edgesAlone = m_moving && m_ofThisPart && (m_show.linesOnly || shinesThrough()) &&
                          count(d->mesh) > static_cast<vtkIdType>(kFacesInMotion);
  const bool meshed = count(d->mesh) > 0 && !m_wholeCells && !swap && !edgesAlone;
  const bool coarse = meshed && m_moving && !m_show.linesOnly && !shinesThrough() && count(d->coarse) > 0;
  d->mesh.actor->SetVisibility(meshed && !coarse);
  d->coarse.actor->SetVisibility(coarse);
  if (m_show.linesOnly) {
    for (auto* l : {&d->part, &d->ghost}) l->actor->SetVisibility(false);
  }
  const bool lines = m_show.edges && m_show.lens != Lens::Edges;
  const QColor& f = theme::failing;
  const bool judged = m_show.lens == Lens::Quality || m_brush;
  const auto unit = static_cast<float>(devicePixelRatioF());
  for (auto* l : d->all()) {
    l->actor->GetProperty()->SetLineWidth(unit * l->pixels);
    l->actor->GetProperty()->SetPointSize(unit * l->pixels);
  }
  // Structured bodies are hatched in the lens Method, swept ones the other way: no meaning by colour alone there
  // either.
  const bool byMethod = m_show.lens == Lens::Method && !m_brush;
  const QColor mark = byMethod ? theme::method(static_cast<int>(Fill::Mapped)) : f;
  const bool marks = judged || byMethod;
  const float hatched[3] = {marks ? mark.redF() : -1, marks ? mark.greenF() : -1, marks ? mark.blueF() : -1};
  const QColor other = theme::method(static_cast<int>(Fill::Swept));
  const float crossed[3] = {byMethod ? other.redF() : -1, byMethod ? other.greenF() : -1,
                            byMethod ? other.blueF() : -1};
  if (std::exchange(m_linesAlone, m_show.linesOnly) != m_show.linesOnly) setLineManner();
  for (auto* l : d->meshed()) {
    const QColor& c = l == &d->mesh ? theme::meshLine : theme::cellLine;
    const float ink[3] = {c.redF(), c.greenF(), c.blueF()};
    l->actor->GetProperty()->SetOpacity(m_show.linesOnly ? 0.99 : l == &d->mesh && shinesThrough() ? 0.25 : 1.0);
    auto* uniforms = l->actor->GetShaderProperty()->GetFragmentCustomUniforms();
    uniforms->SetUniform3f("lineInk", ink);
    uniforms->SetUniform3f("hatchedColor", hatched);
    uniforms->SetUniform3f("crossHatchedColor", crossed);
    uniforms->SetUniformf("hatchStep", static_cast<float>(kHatchStep) * unit);
    // Less than none: the middle of a line would be drawn yet.
    uniforms->SetUniformf("lineWidth", lines ? unit : -1.0f);
  }
  auto* part = d->part.actor->GetShaderProperty()->GetFragmentCustomUniforms();
  const float partInk[3] = {theme::meshLine.redF(), theme::meshLine.greenF(), theme::meshLine.blueF()};
  part->SetUniform3f("lineInk", partInk);
  part->SetUniform3f("hatchedColor", hatched);
  part->SetUniform3f("crossHatchedColor", crossed);
  part->SetUniformf("hatchStep", static_cast<float>(kHatchStep) * unit);
}

void Viewport::applyTheme() {
  d->renderer->SetBackground(theme::viewport.redF(), theme::viewport.greenF(), theme::viewport.blueF());
  auto tint = [](Impl::Layer& l, const QColor& c) {
    l.actor->GetProperty()->SetColor(c.redF(), c.greenF(), c.blueF());
  };
  for (auto* l : {&d->selected, &d->hover, &d->hoverEdges, &d->selectedEdges, &d->marks, &d->outline})
    tint(*l, theme::accent);
  tint(d->openEdges, theme::failing);
  tint(d->sharedEdges, theme::accent);
  tint(d->partEdges, theme::partLine);
  tint(d->ghostEdges, mixed(theme::viewport, theme::partLine, 0.35));
  rebuildPart();
  rebuildMesh();
}

Viewport::~Viewport() {
  if (!m_context || !makeCurrent()) return; // nothing was drawn
  d->smoother->ReleaseGraphicsResources();
  d->window->Finalize();
  m_context->doneCurrent();
}

bool Viewport::makeCurrent() {
  if (!m_context) {
    m_surface.setFormat(format());
    m_surface.create();
    m_context = std::make_unique<QOpenGLContext>();
    m_context->setFormat(format());
    if (!m_context->create() || !m_context->makeCurrent(&m_surface)) return false;
    startDrawing();
  }
  return m_context->makeCurrent(&m_surface);
}

void Viewport::startDrawing() {
  d->window->SetOwnContext(false);
  vtkNew<vtkCallbackCommand> current, isCurrent;
  current->SetClientData(this);
  current->SetCallback(
      [](vtkObject*, unsigned long, void* self, void*) { static_cast<Viewport*>(self)->makeCurrent(); });
  isCurrent->SetClientData(this);
  isCurrent->SetCallback([](vtkObject*, unsigned long, void* self, void* answer) {
    *static_cast<bool*>(answer) = QOpenGLContext::currentContext() == static_cast<Viewport*>(self)->m_context.get();
  });
  d->window->AddObserver(vtkCommand::WindowMakeCurrentEvent, current);
  d->window->AddObserver(vtkCommand::WindowIsCurrentEvent, isCurrent);
  d->window->SetReadyForRendering(true);
  d->window->OpenGLInitContext();
  d->window->SetFrameBlitModeToNoBlit();
}

void Viewport::resizeEvent(QResizeEvent*) {
  m_picture = Picture::Old;
  if (m_fitted)
    fit();
  else
    centrePicture();
}

void Viewport::paintEvent(QPaintEvent*) {
  renew();
  QPainter p(this);
  if (m_image.isNull())
    p.fillRect(rect(), theme::viewport);
  else
    p.drawImage(0, 0, m_image);
}

void Viewport::renew() {
  const bool smooth = !m_moving && !m_quick;
  if (m_picture == Picture::Smooth || (m_picture == Picture::Rough && !smooth) || !makeCurrent()) return;
  auto* gl = QOpenGLVersionFunctionsFactory::get<QOpenGLFunctions_3_2_Core>(m_context.get());
  if (!gl) return;
  const QSize size = (devicePixelRatioF() * QSizeF(width(), height())).toSize();
  gl->glViewport(0, 0, size.width(), size.height()); // it begins with that of a surface which is not drawn to
  d->window->GetState()->Reset();
  d->window->SetSize(size.width(), size.height());
  if (m_picture == Picture::Old) drawScene(*gl);
  if (m_picture == Picture::Rough && smooth) {
    // Edges of what is drawn already are smoothed by themselves: on a slow GL drawing all of it again for that would
    // hold the window for longer than may be noticed.
    QElapsedTimer clock;
    clock.start();
    d->window->GetDisplayFramebuffer()->Bind();
    d->smoother->Execute(vtkOpenGLRenderer::SafeDownCast(d->renderer));
    gl->glFinish();
    m_smoothMs = 1e-6 * static_cast<double>(clock.nsecsElapsed());
    m_picture = Picture::Smooth;
  }
  if (m_image.size() != size) m_image = QImage(size, QImage::Format_RGB32);
  m_image.setDevicePixelRatio(devicePixelRatioF());
  d->window->GetDisplayFramebuffer()->Bind(GL_READ_FRAMEBUFFER);
  gl->glPixelStorei(GL_PACK_ALIGNMENT, 4);
  gl->glReadPixels(0, 0, size.width(), size.height(), GL_BGRA, GL_UNSIGNED_BYTE, m_image.bits());
  m_image.mirror(); // a GL counts its rows from below
  if (!smooth) m_rest.start(m_restMs);
  placeNumbers();
  placeMethods();
  placeHandles();
  placePoints();
  emit drawn();
}

void Viewport::drawScene(QOpenGLFunctions_3_2_Core& gl) {
  d->renderer->ResetCameraClippingRange();
  placeDepths();
  gl.glEnable(GL_POLYGON_OFFSET_FILL);
  gl.glPolygonOffset(kPushSlope, kPushSteps);
  if (m_part && !std::exchange(m_compiled, true)) compilePrograms();
  QElapsedTimer clock;
  clock.start();
  d->window->Render();
  gl.glDisable(GL_POLYGON_OFFSET_FILL);
  m_picture = Picture::Rough;
  if (m_moving) return;
  gl.glFinish(); // what was asked for is drawn now
  m_slow = 1e-6 * static_cast<double>(clock.nsecsElapsed()) + m_smoothMs > kSlowMs;
}

/// Draws something on each layer that cards and the pointer light, under the picture that follows: a program for the
/// graphics is compiled when it is first needed, which would be within somebody's keystroke.
void Viewport::compilePrograms() {
  const auto faces = partSurface(*m_part, [](int f) { return f == 0; }).polygons;
  const auto lines = partEdges(*m_part, [](int e) { return e == 0; });
  const auto points = pointCloud({m_part->extent.lo});
  const std::array shown{std::pair(&d->hover, faces),      std::pair(&d->selected, faces),
                         std::pair(&d->hoverEdges, lines), std::pair(&d->selectedEdges, lines),
                         std::pair(&d->outline, lines),    std::pair(&d->marks, points)};
  std::vector<PolyData> before;
  for (const auto& [layer, something] : shown) {
    before.emplace_back(layer->mapper->GetInput());
    d->put(*layer, something);
  }
  d->window->Render();
  for (std::size_t i = 0; i < shown.size(); ++i) d->put(*shown[i].first, before[i]);
}

/// Nothing is drawn nearer than the part and what is outlined. Lines come forward by about half of their width, or the
/// faces beside them would cut them; as depth is told finest near the near plane, that is more in space the farther
/// things are behind it, and with a plane close to the eye, as the part's box would have it, lines were seen through
/// walls.
void Viewport::placeDepths() {
  auto* camera = d->renderer->GetActiveCamera();
  if (m_part && (!drawsMesh() || m_ofThisPart)) pushNearPlane();
  const double near = camera->GetClippingRange()[0], far = camera->GetClippingRange()[1];
  const double pixel = 2 * frame().tangent / std::max(1, height()); // at a distance of one
  const double onePixel = pixel * far / std::max(1e-12 * far, far - near);
  for (auto* l : d->above()) // what is wider lies above what is narrower
    l->actor->GetShaderProperty()->GetFragmentCustomUniforms()->SetUniformf(
        "forward", static_cast<float>(0.00002 + (0.5 + 0.1 * l->pixels) * onePixel));
}

void Viewport::pushNearPlane() {
  const CameraFrame view = frame();
  const auto& t = m_part->drawn();
  auto corner = [&](int triangle, std::size_t k) -> const Vec3& {
    return t.points[static_cast<std::size_t>(t.triangles[static_cast<std::size_t>(triangle)][k])];
  };
  double square = m_outlineBox.empty() ? 1e300 : m_outlineBox.distance2(view.eye);
  m_tree.minimum(
      square, [&](const Box& b, int) { return b.distance2(view.eye); },
      [&](int i) {
        const Vec3 &a = corner(i, 0), &b = corner(i, 1), &c = corner(i, 2), w = closestOnTriangle(view.eye, a, b, c);
        return (w[0] * a + w[1] * b + w[2] * c - view.eye).squaredNorm();
      });
  const double distance = std::sqrt(square) - 0.003 * m_part->diagonal(); // elements may lie before its triangles
  const double up = view.tangent * (1 + std::abs(view.centreY)),
               side = view.tangent * view.width / view.height * (1 + std::abs(view.centreX));
  auto* camera = d->renderer->GetActiveCamera();
  const auto [from, to] = std::pair(camera->GetClippingRange()[0], camera->GetClippingRange()[1]);
  camera->SetClippingRange(std::clamp(distance / std::sqrt(1 + up * up + side * side), from, 0.9 * to), to);
}

void Viewport::followCamera(const Viewport& lead) {
  auto state = [](vtkCamera* c) {
    std::array<double, 9> s;
    c->GetPosition(s.data());
    c->GetFocalPoint(s.data() + 3);
    c->GetViewUp(s.data() + 6);
    return s;
  };
  vtkCamera *mine = d->renderer->GetActiveCamera(), *other = lead.d->renderer->GetActiveCamera();
  const auto to = state(other);
  if (state(mine) == to) return;
  moving();
  m_fitted = false;
  mine->SetPosition(to.data());
  mine->SetFocalPoint(to.data() + 3);
  mine->SetViewUp(to.data() + 6);
  m_centredFor = lead.m_centredFor;
  centrePicture();
  update();
}

void Viewport::follow(const Viewport& lead) {
  const bool same = m_part == lead.m_part;
  const bool news = same && (m_field != lead.m_field || m_shade != lead.m_shade || m_groupOfFace != lead.m_groupOfFace);
  if (m_show != lead.m_show || news) {
    m_show = lead.m_show;
    if (same) {
      m_field = lead.m_field;
      m_shade = lead.m_shade;
      m_groupOfFace = lead.m_groupOfFace;
    }
    rebuildPart();
    rebuildMesh();
  }
  followCamera(lead);
}

QImage Viewport::picture() {
  if (m_brushRest.isActive()) drawBrushed(kBrushedAtRest);
  m_moving = m_quick = false;
  setDetail();
  m_picture = Picture::Old;
  renew();
  QImage image = m_image;
  QPainter p(&image);
  m_outline2d->paintPoints(p);
  if (!m_numbers.empty()) m_labels->paintOn(p);
  m_methods->paintOn(p);
  p.end();
  return image;
}

void Viewport::setPart(std::shared_ptr<const Part> part) {
  m_heldHandle = -1;
  setHandles({});
  bool first = !m_part || !part || m_part->path != part->path;
  m_part = std::move(part);
  m_selection.clear();
  hoverOver(-1);
  if (first) m_show.sections.clear(), m_show.cut = false, m_show.active = 0;
  m_lit.clear();
  showMarks({}, {});
  m_hiddenFaces.clear();
  m_groupOfFace.clear();
  m_run.reset();
  m_brush = false;
  m_brushed.clear();
  m_brushDrawn.clear();
  m_brushRest.stop();
  std::vector<Box> boxes;
  if (m_part)
    for (const auto& t : m_part->drawn().triangles) {
      Box b;
      for (int v : t) b.add(m_part->drawn().points[static_cast<std::size_t>(v)]);
      boxes.push_back(b);
    }
  m_tree.build(boxes);
  rebuildPart();
  rebuildMesh();
  if (first) view(Vec3(-1, 1.35, -0.85), Vec3(0, 0, 1));
  emit selectionChanged();
}

void Viewport::setRun(std::shared_ptr<const RunResult> run, std::shared_ptr<const MeshLook> look, bool ofThisPart) {
  m_run = std::move(run);
  m_ofThisPart = ofThisPart;
  m_groupOfRunFace.clear();
  if (m_run && !ofThisPart) m_groupOfRunFace = firstGroupOfFaces(m_run->mesh);
  m_followed.clear();
  if (m_run && ofThisPart && m_part) m_followed = followedEdges(*m_part, m_run->mesh);
  m_look = m_run && !look ? std::make_shared<const MeshLook>(lookAt(m_run->mesh)) : std::move(look);
  m_brush = false;
  m_brushed.clear();
  m_brushDrawn.clear();
  m_brushRest.stop();
  rebuildPart();
  rebuildMesh();
}

void Viewport::setGroups(const std::vector<ResolvedGroup>& groups) {
  m_groupOfFace.assign(m_part ? m_part->faces.size() : 0, -1);
  for (std::size_t g = 0; g < groups.size(); ++g)
    if (groups[g].dim == Dim::Face)
      for (int f : groups[g].entities)
        if (m_groupOfFace[static_cast<std::size_t>(f)] < 0)
          m_groupOfFace[static_cast<std::size_t>(f)] = static_cast<int>(g);
  rebuildPart();
  rebuildMesh();
}

void Viewport::setSizeField(std::shared_ptr<const SizeField> f, std::shared_ptr<const SizeShade> shade) {
  m_field = std::move(f);
  m_shade = std::move(shade);
  if (m_show.lens == Lens::Size) {
    rebuildPart();
    rebuildMesh();
  }
}

std::pair<double, double> Viewport::sizeRange() const {
  return m_shade ? std::pair(m_shade->low, m_shade->high) : std::pair(0.0, 0.0);
}

QColor Viewport::sizeColor(double h) const {
  auto [lo, hi] = sizeRange();
  return theme::size(lo > 0 && hi > 1.001 * lo ? std::log(std::clamp(h, lo, hi) / lo) / std::log(hi / lo) : 1);
}

void Viewport::setLens(Lens l) {
  m_show.lens = l;
  rebuildPart();
  rebuildMesh();
}
void Viewport::setMetric(Metric m) {
  m_show.metric = m;
  if (m_show.lens == Lens::Quality || m_brush || m_show.cut) rebuildMesh();
}
void Viewport::setMeshShown(bool on) {
  m_show.mesh = on;
  rebuildPart();
  rebuildMesh();
}
void Viewport::setEdgesShown(bool on) {
  m_show.edges = on;
  rebuildPart();
  rebuildMesh();
}
void Viewport::light(Dim dim, const std::set<int>& entities) {
  if (m_litDim == dim && m_lit == entities) return;
  m_litDim = dim;
  m_lit = entities;
  rebuildHighlight();
}
void Viewport::showMarks(const std::vector<Vec3>& marks, const std::vector<std::array<Vec3, 2>>& outline) {
  if (marks.empty() && outline.empty() && !m_marks && !m_outline) return;
  m_marks = marks.size();
  m_outline = outline.size();
  m_outlineBox = {};
  for (const auto& line : outline)
    for (const Vec3& x : line) m_outlineBox.add(x);
  d->put(d->marks, pointCloud(marks));
  d->put(d->outline, segments(outline));
  redraw();
}
void Viewport::setPickDim(Dim dim) {
  m_pickDim = dim;
  m_selection.clear();
  hoverOver(-1);
  rebuildHighlight();
  emit selectionChanged();
}
void Viewport::select(Dim dim, const std::set<int>& entities) {
  m_pickDim = dim;
  m_selection = entities;
  rebuildHighlight();
  emit selectionChanged();
}

namespace {
std::set<int> facesOfSelection(const Part& part, Dim dim, const std::set<int>& selection) {
  std::set<int> r;
  for (int e : selection) {
    if (dim == Dim::Face) r.insert(e);
    if (dim == Dim::Body)
      r.insert(part.bodies[static_cast<std::size_t>(e)].faces.begin(),
               part.bodies[static_cast<std::size_t>(e)].faces.end());
    if (dim == Dim::Edge)
      r.insert(part.edges[static_cast<std::size_t>(e)].faces.begin(),
               part.edges[static_cast<std::size_t>(e)].faces.end());
  }
  return r;
}
} // namespace

void Viewport::hideSelection() {
  if (!m_part) return;
  auto f = facesOfSelection(*m_part, m_pickDim, m_selection);
  m_hiddenFaces.insert(f.begin(), f.end());
  m_selection.clear();
  rebuildPart();
  rebuildMesh();
  emit selectionChanged();
}
void Viewport::showOnlySelection() {
  if (!m_part || m_selection.empty()) return;
  auto f = facesOfSelection(*m_part, m_pickDim, m_selection);
  m_hiddenFaces.clear();
  for (int i = 0; i < m_part->count(Dim::Face); ++i)
    if (!f.count(i)) m_hiddenFaces.insert(i);
  rebuildPart();
  rebuildMesh();
}
void Viewport::showAll() {
  m_hiddenFaces.clear();
  rebuildPart();
  rebuildMesh();
}

bool Viewport::drawsMesh() const { return m_run && m_show.mesh; }

bool Viewport::standsIn() const {
  // Where colours are those of the part's faces, nothing but the edges is missed.
  // A part of as many facets, as one taken from a mesh, would be no relief.
  return drawsMesh() && m_ofThisPart && !m_brush && !shinesThrough() && !m_show.linesOnly &&
         m_run->mesh.faces.size() > kFacesInMotion && m_part->drawn().triangles.size() <= 2 * kFacesInMotion &&
         m_show.lens != Lens::Quality && m_show.lens != Lens::Size;
}

QColor Viewport::faceColor(int f) const {
  auto i = static_cast<std::size_t>(f);
  if (m_show.lens == Lens::Groups)
    return i < m_groupOfFace.size() && m_groupOfFace[i] >= 0 ? theme::group(m_groupOfFace[i])
                                                             : theme::cells.lighter(106);
  if (m_show.lens == Lens::Regions) {
    int b = std::max(0, m_part->faces[i].bodies[0]);
    return theme::group(b + 2);
  }
  if (m_show.lens == Lens::Method) { // a face between two bodies has the colour of that which decided it
    const FacePlan* face = facePlan(f);
    const auto& b = m_part->faces[i].bodies;
    return theme::method(static_cast<int>(fillOf(face && face->frozen() ? face->decidedBy : std::max(b[0], b[1]))));
  }
  if (m_part->faces[i].color) {
    // CAD colours are muted towards the part's grey, so that selection stays legible.
    const auto& c = *m_part->faces[i].color;
    return QColor::fromRgbF(0.55f * c[0] + 0.32f, 0.55f * c[1] + 0.315f, 0.55f * c[2] + 0.30f);
  }
  // Pieces of a body that was cut are told apart by a tint.
  if (const int b = std::max(0, m_part->faces[i].bodies[0]);
      static_cast<std::size_t>(b) < m_part->bodies.size() && !m_part->bodies[static_cast<std::size_t>(b)].of.empty()) {
    const QColor tint = theme::group(b);
    auto mixed = [](float a, float c) { return 0.8f * a + 0.2f * c; };
    return QColor::fromRgbF(mixed(theme::part.redF(), tint.redF()), mixed(theme::part.greenF(), tint.greenF()),
                            mixed(theme::part.blueF(), tint.blueF()));
  }
  return theme::part;
}

void Viewport::setPlan(std::vector<BodyPlan> bodies, std::vector<FacePlan> faces) {
  m_bodyPlans = std::move(bodies);
  m_facePlans = std::move(faces);
}

void Viewport::setEdgeCounts(EdgeCounts counts) {
  m_edgeCounts = std::move(counts);
  m_countAt.clear();
  if (m_show.lens == Lens::Method) redraw();
}

bool Viewport::tellsRun() const { return drawsMesh() && m_ofThisPart && !m_run->bodies.empty(); }
const std::vector<BodyPlan>& Viewport::bodyPlans() const { return tellsRun() ? m_run->bodies : m_bodyPlans; }
const FacePlan* Viewport::facePlan(int face) const {
  const auto& faces = tellsRun() ? m_run->faces : m_facePlans;
  const auto i = static_cast<std::size_t>(face);
  return face >= 0 && i < faces.size() ? &faces[i] : nullptr;
}
Fill Viewport::fillOf(int body) const {
  const auto& all = bodyPlans();
  const auto i = static_cast<std::size_t>(body);
  return body >= 0 && i < all.size() ? all[i].fill : Fill::Tetrahedra;
}

void Viewport::placeMethods() {
  std::vector<NumberLabel> labels;
  std::vector<QPointF> at;
  if (m_show.lens == Lens::Method && m_part && !m_brush) {
    // On the largest face of each body whose middle is seen; while the picture moves it stays there.
    if (!m_moving || m_methodAt.size() != m_part->bodies.size()) {
      m_methodAt.assign(m_part->bodies.size(), {});
      for (std::size_t b = 0; b < m_methodAt.size(); ++b) {
        std::vector<int> faces = m_part->bodies[b].faces;
        auto area = [&](int f) { return m_part->faces[static_cast<std::size_t>(f)].area; };
        std::stable_sort(faces.begin(), faces.end(), [&](int x, int y) { return area(x) > area(y); });
        constexpr std::size_t kTried = 12;
        for (std::size_t k = 0; k < std::min(faces.size(), kTried) && !m_methodAt[b]; ++k)
          if (const Vec3 p = methodPlace(faces[k]); !m_hiddenFaces.count(faces[k]) && !m_show.away(p) && inSight(p))
            m_methodAt[b] = p;
      }
    }
    for (std::size_t b = 0; b < m_methodAt.size(); ++b) {
      if (!m_methodAt[b]) continue;
      const QString word = fillName(fillOf(static_cast<int>(b)));
      labels.push_back({*m_methodAt[b], word.left(1).toUpper() + " · " + word, true, true});
      at.push_back(project(labels.back().at));
    }
  }
  m_countsDrawn = 0;
  if (m_show.lens == Lens::Method && m_part && !m_brush && !tellsRun() &&
      m_edgeCounts.elements.size() == m_part->edges.size())
    placeEdgeCounts(labels, at);
  m_methods->show(labels, std::move(at));
}

void Viewport::placeEdgeCounts(std::vector<NumberLabel>& labels, std::vector<QPointF>& at) {
  constexpr std::size_t kMost = 400; // beyond, they would cover each other and the part
  constexpr double kRoom = 26;       // pixels along an edge that a number needs
  const auto& edges = m_part->edges;
  std::vector<int> order;
  for (std::size_t e = 0; e < edges.size(); ++e)
    if (m_edgeCounts.elements[e] > 0) order.push_back(static_cast<int>(e));
  std::set<int> chosen;
  if (m_pickDim == Dim::Edge)
    for (int e : m_selection) chosen.insert(m_edgeCounts.chain[static_cast<std::size_t>(e)]);
  if (m_litDim == Dim::Edge)
    for (int e : m_lit) chosen.insert(m_edgeCounts.chain[static_cast<std::size_t>(e)]);
  chosen.erase(-1);
  auto follows = [&](int e) { return chosen.count(m_edgeCounts.chain[static_cast<std::size_t>(e)]) > 0; };
  // What follows first, then the longest.
  std::stable_sort(order.begin(), order.end(), [&](int x, int y) {
    if (follows(x) != follows(y)) return follows(x);
    return edges[static_cast<std::size_t>(x)].length > edges[static_cast<std::size_t>(y)].length;
  });
  if (order.size() > kMost) order.resize(kMost);
  const bool anew = !m_moving || m_countAt.size() != edges.size();
  if (anew) m_countAt.assign(edges.size(), {});
  for (int e : order) {
    const PartEdge& edge = edges[static_cast<std::size_t>(e)];
    auto point = [&](double share) { return m_part->shape->edgePoint(e, edge.t0 + share * (edge.t1 - edge.t0)); };
    auto& place = m_countAt[static_cast<std::size_t>(e)];
    if (anew)
      for (double share : {0.5, 0.3, 0.7})
        if (const Vec3 p = point(share); !place && !m_show.away(p) && inSight(p)) place = p;
    if (!place) continue;
    const QPointF a = project(point(0)), b = project(point(0.5)), c = project(point(1));
    if (QLineF(a, b).length() + QLineF(b, c).length() < kRoom && !follows(e)) continue;
    labels.push_back(
        {*place, QString::number(m_edgeCounts.elements[static_cast<std::size_t>(e)]), true, false, !follows(e)});
    at.push_back(project(*place));
    ++m_countsDrawn;
  }
}

Vec3 Viewport::methodPlace(int face) const {
  return m_part->shape->projectToFace(face, m_part->faces[static_cast<std::size_t>(face)].center).point;
}

QualityScale Viewport::qualityScale() const {
  return m_run ? QualityScale(m_run->audit, m_show.metric) : QualityScale();
}

std::function<QColor(std::size_t)> Viewport::cellColors() const {
  if (m_show.lens == Lens::Regions)
    return [this](std::size_t c) { return theme::group(m_run->mesh.cellRegion[c] + 2); };
  if (m_show.lens == Lens::Method && m_ofThisPart)
    return [this](std::size_t c) { return theme::method(static_cast<int>(fillOf(m_run->mesh.cellRegion[c]))); };
  if (m_show.lens == Lens::Quality || m_brush) return qualityColors();
  return [](std::size_t) { return theme::cells; };
}

std::function<QColor(std::size_t)> Viewport::qualityColors() const {
  return [scale = qualityScale(),
          &value = m_run->audit.metrics[static_cast<std::size_t>(m_show.metric)].value](std::size_t c) {
    const double v = value[c];
    return std::isnan(v) ? theme::cells : theme::quality(scale.badness(c, v)); // says nothing of such an element
  };
}

/// Another lens is another colour of what was drawn before; it is made anew only where it is of something else, or
/// where other faces are hidden.
template <class Make>
PolyData Viewport::painted(Drawn& last, const std::shared_ptr<const void>& of, Make&& make,
                           const std::function<QColor(std::size_t)>& color) {
  if (last.of != of || last.hidden != m_hiddenFaces) last = {of, m_hiddenFaces, make()};
  last.surface.paint(color);
  return last.surface.polygons;
}

void Viewport::rebuildPart() {
  // Where lightness of a colour is a value, a face in shade must not pass for another one.
  const bool values = m_show.lens == Lens::Size || m_show.lens == Lens::Quality;
  for (auto* l : d->solids()) {
    const double ambient = values ? kAmbientOfValues : drawsMesh() ? kAmbientOfMesh : kAmbient;
    l->actor->GetProperty()->SetAmbient(ambient);
    l->actor->GetProperty()->SetDiffuse(1 - ambient);
  }
  const bool mesh = drawsMesh(), ghost = mesh && m_brush;
  if (m_drawnPart.of != m_part) m_drawnPart = {}; // or a part that was put aside would stay in memory
  auto paintedPart = [&](const std::function<QColor(std::size_t)>& color) {
    return painted(
        m_drawnPart, m_part, [&] { return partSurface(*m_part, [&](int f) { return !m_hiddenFaces.count(f); }); },
        color);
  };
  for (auto* l : {&d->part, &d->partEdges, &d->ghost, &d->ghostEdges}) d->put(*l, PolyData::New());
  if (m_part) {
    auto shown = [&](int f) { return !m_hiddenFaces.count(f); };
    auto edgeShown = [&](int e) {
      const auto& faces = m_part->edges[static_cast<std::size_t>(e)].faces;
      if (mesh && static_cast<std::size_t>(e) < m_followed.size() && !m_followed[static_cast<std::size_t>(e)])
        return false; // a line across elements would be taken for one of theirs
      return !(m_show.lens == Lens::Edges && faces.size() != 2) && std::any_of(faces.begin(), faces.end(), shown);
    };
    if (ghost && m_ofThisPart) {
      d->put(d->ghost, paintedPart([](std::size_t) { return ghostColor(); }));
      d->put(d->ghostEdges, partEdges(*m_part, edgeShown));
    } else if (!ghost) {
      if (!mesh || standsIn())
        d->put(d->part, m_show.lens == Lens::Size && m_shade
                            ? shadeSurface(*m_shade, shown, [&](double h) { return sizeColor(h); })
                            : paintedPart([this](std::size_t f) { return faceColor(static_cast<int>(f)); }));
      if (m_ofThisPart || !mesh) d->put(d->partEdges, partEdges(*m_part, edgeShown));
    }
    d->part.actor->GetProperty()->SetOpacity(shinesThrough() ? 0.25 : 1.0);
  }
  if (m_show.linesOnly) d->part.actor->SetVisibility(false);
  rebuildHighlight();
}

void Viewport::rebuildMesh() {
  const auto none = PolyData::New();
  PolyData surface = none, coarse = none, cells = none;
  if (m_drawnMesh.of != m_run) m_drawnMesh = m_drawnCoarse = {}; // or a run that was thrown away would stay in memory
  if (drawsMesh()) {
    const Mesh& m = m_run->mesh;
    auto shown = [&](std::size_t f) {
      if (m.faceRegions[f][1] >= 0 && m.faceRegions[f][0] >= 0) return false; // interfaces lie inside
      return !m_hiddenFaces.count(m.faceLink[f]);
    };
    const auto& inCell = m_look->behind;
    std::vector<float> sizes;
    if (m_show.lens == Lens::Size && m_field) sizes = boundarySizes(m, *m_field);
    const auto quality = qualityColors();
    std::vector<QColor> ofPart;
    for (int f = 0; m_part && f < m_part->count(Dim::Face); ++f) ofPart.push_back(faceColor(f));
    auto color = [&](std::size_t f) {
      if (!sizes.empty()) return sizeColor(sizes[f]);
      if (m_show.lens == Lens::Quality)
        return inCell[f] >= 0 ? quality(static_cast<std::size_t>(inCell[f])) : theme::cells;
      if (!m_ofThisPart && m_show.lens != Lens::Regions) {
        const int g = m_groupOfRunFace[f];
        return m_show.lens == Lens::Groups && g >= 0 ? theme::group(g) : theme::cells;
      }
      const auto link = static_cast<std::size_t>(m.faceLink[f]);
      return m.faceLink[f] >= 0 && link < ofPart.size() ? ofPart[link] : theme::cells;
    };
    auto paintedMesh = [&](const std::function<QColor(std::size_t)>& tint) {
      return painted(
          m_drawnMesh, m_run, [&] { return meshSurface(m, shown); }, tint);
    };
    // Of a part that is not there any more the mesh is all that tells its shape.
    if (m_brush && !m_ofThisPart) d->put(d->ghost, paintedMesh([](std::size_t) { return ghostColor(); }));
    if (!m_brush) {
      surface = paintedMesh(color);
      if (!standsIn())
        coarse = painted(
            m_drawnCoarse, m_run, [&] { return coarseSurface(*m_look, shown); }, color);
    }
    for (auto* l : {&d->mesh, &d->coarse}) l->actor->GetProperty()->SetInterpolationToFlat();
    const auto cellTint = cellColors();
    if (m_brush && !m_show.shrunk) cells = cellFaces(m, *m_look, m_brushDrawn, cellTint);
    if (m_show.shrunk && !m_show.cut) { // what is chosen, or the cells behind the boundary
      std::vector<std::int32_t> drawn = m_brushDrawn;
      if (!m_brush) {
        for (std::size_t f = 0; f < inCell.size(); ++f)
          if (inCell[f] >= 0 && shown(f)) drawn.push_back(inCell[f]);
        std::sort(drawn.begin(), drawn.end());
        drawn.erase(std::unique(drawn.begin(), drawn.end()), drawn.end());
        surface = coarse = none;
      }
      cells = shrunkCells(m, drawn, kShrink, cellTint);
    }
  }
  d->put(d->mesh, surface);
  d->put(d->coarse, coarse);
  d->put(d->cells, cells);
  rebuildOddEdges();
  // Many layers that shine through must be sorted: the blending that does without overflows into false colours.
  d->renderer->SetUseDepthPeeling(m_show.linesOnly || (shinesThrough() && !m_brush));
  rebuildSection();
}

void Viewport::rebuildOddEdges() {
  OddEdges odd{PolyData::New(), PolyData::New()};
  if (m_show.lens == Lens::Edges && m_part) odd = drawsMesh() ? oddEdges(m_run->mesh, *m_look) : oddEdges(*m_part);
  m_openEdges = odd.openCount;
  m_sharedEdges = odd.manyCount;
  d->put(d->openEdges, odd.open);
  d->put(d->sharedEdges, odd.many);
}

QString Viewport::viewState() const {
  Vec3 eye, to, up;
  auto* camera = d->renderer->GetActiveCamera();
  camera->GetPosition(eye.data());
  camera->GetFocalPoint(to.data());
  camera->GetViewUp(up.data());
  QJsonObject o = m_show.toJson();
  o["eye"] = toJson(eye);
  o["to"] = toJson(to);
  o["up"] = toJson(up);
  return QJsonDocument(o).toJson(QJsonDocument::Compact);
}

bool Viewport::setViewState(const QString& state) {
  const QJsonObject o = QJsonDocument::fromJson(state.toUtf8()).object();
  const auto look = ViewLook::fromJson(o);
  const auto eye = vecFromJson(o["eye"]), to = vecFromJson(o["to"]), up = vecFromJson(o["up"]);
  if (!look || !eye || !to || !up) return false;
  m_show = *look;
  m_fitted = false;
  auto* camera = d->renderer->GetActiveCamera();
  camera->SetPosition(eye->data());
  camera->SetFocalPoint(to->data());
  camera->SetViewUp(up->data());
  rebuildPart();
  rebuildMesh();
  return true;
}

void Viewport::rebuildHighlight() {
  auto none = PolyData::New();
  m_points.clear();
  m_pointInSight.clear();
  d->put(d->selected, none);
  d->put(d->selectedEdges, none);
  d->put(d->hover, none);
  d->put(d->hoverEdges, none);
  if (m_part) {
    auto chosen = facesOfSelection(*m_part, m_pickDim, m_selection);
    if (m_pickDim == Dim::Face || m_pickDim == Dim::Body) {
      d->put(d->selected, partSurface(*m_part, [&](int f) { return chosen.count(f) > 0; }).polygons);
      d->put(d->selectedEdges, partEdges(*m_part, [&](int e) {
               for (int f : m_part->edges[static_cast<std::size_t>(e)].faces)
                 if (chosen.count(f)) return true;
               return false;
             }));
    } else {
      auto on = [&](int e) { return m_selection.count(e) > 0; };
      if (m_pickDim == Dim::Edge) d->put(d->selectedEdges, partEdges(*m_part, on));
    }
    for (int k = 0; k < m_part->count(Dim::Point); ++k) // picked, and of the card under the pointer
      if ((m_pickDim == Dim::Point && m_selection.count(k)) || (m_litDim == Dim::Point && m_lit.count(k)))
        m_points.push_back(m_part->points[static_cast<std::size_t>(k)].at);
    std::set<int> faces; // of the card under the pointer
    if (m_litDim == Dim::Face || m_litDim == Dim::Body) faces.merge(facesOfSelection(*m_part, m_litDim, m_lit));
    if (!faces.empty())
      d->put(d->hover, partSurface(*m_part, [&](int f) { return faces.count(f) > 0; }).polygons);
    else if (m_litDim == Dim::Edge && !m_lit.empty())
      d->put(d->hoverEdges, partEdges(*m_part, [&](int x) { return m_lit.count(x) > 0; }));
  }
  rebuildNumbers();
  redraw();
}

void Viewport::rebuildSection() {
  hoverOver(-1); // its lines may lie on what is cut away now
  auto none = PolyData::New();
  for (auto& l : d->cut) d->put(l, none);
  for (auto* l : d->all()) l->mapper->RemoveAllClippingPlanes();
  m_sectionCells = 0;
  m_wholeCells = false;
  const std::size_t sections = m_show.cut && m_part ? m_show.sections.size() : 0;
  for (std::size_t i = 0; i < sections; ++i) {
    const Section& p = m_show.sections[i];
    const Vec3 at = p.offset * p.normal, keep = -p.normal;
    d->clip[i]->SetOrigin(at.x(), at.y(), at.z());
    d->clip[i]->SetNormal(keep.x(), keep.y(), keep.z());
    for (auto* l : {&d->part, &d->partEdges, &d->mesh, &d->coarse, &d->selected, &d->selectedEdges, &d->hover,
                    &d->hoverEdges, &d->openEdges, &d->sharedEdges, &d->ghost, &d->ghostEdges})
      l->mapper->AddClippingPlane(d->clip[i]);
    for (std::size_t k = 0; k < sections; ++k) // what one plane cuts open another may cut away
      if (k != i && m_show.manner == SectionManner::Cut) d->cut[k].mapper->AddClippingPlane(d->clip[i]);
  }
  if (sections > 0 && drawsMesh()) {
    const Mesh& m = m_run->mesh;
    std::vector<char> chosen(m_brush ? m.cells.size() : 0, 0);
    for (auto c : m_brushed) chosen[static_cast<std::size_t>(c)] = 1;
    const auto color = cellColors();
    std::vector<std::int32_t> whole; ///< cells that a plane crosses and none cuts away
    std::vector<char> seen(m.cells.size(), 0);
    for (std::size_t i = 0; i < sections; ++i) {
      const Section& p = m_show.sections[i];
      const Plane plane{p.offset * p.normal, p.normal};
      auto cells = crossedCells(m, plane);
      std::erase_if(cells, [&](std::int32_t c) {
        const auto k = static_cast<std::size_t>(c);
        if (m_brush && !chosen[k]) return true;
        auto gone = [&](const Section& s) {
          const auto n = m.cells.of(k);
          return std::all_of(n.begin(), n.end(),
                             [&](auto v) { return s.height(m.nodes[static_cast<std::size_t>(v)]) > 0; });
        };
        return std::any_of(m_show.sections.begin(), m_show.sections.end(), gone);
      });
      for (auto c : cells)
        if (!std::exchange(seen[static_cast<std::size_t>(c)], 1)) whole.push_back(c);
      if (m_show.manner != SectionManner::Cut) continue;
      d->put(d->cut[i], cutPolygons(m, plane, cells, color));
    }
    m_sectionCells = whole.size();
    if (m_show.manner == SectionManner::WholeCells) {
      d->put(d->cut[0], m_show.shrunk ? shrunkCells(m, whole, kShrink, color) : cellFaces(m, *m_look, whole, color));
      m_wholeCells = true; // exactly the crossed cells: the surface steps aside
    }
  }
  // What looks away from the eye is hidden by what does not, as long as nothing is open.
  const bool whole = !m_show.cut && m_hiddenFaces.empty() && !shinesThrough() && !m_show.linesOnly && !m_brush &&
                     m_part &&
                     std::all_of(m_part->bodies.begin(), m_part->bodies.end(), [](const auto& b) { return b.closed; });
  for (auto* l : {&d->part, &d->mesh, &d->coarse}) l->actor->GetProperty()->SetBackfaceCulling(whole);
  setDetail();
  rebuildNumbers();
  emit sectionChanged();
  redraw();
}

std::pair<double, double> Viewport::extentAlong(const Vec3& normal) const {
  if (!m_part) return {0, 0};
  const Vec3 half = 0.5 * m_part->extent.size();
  const double middle = normal.dot(m_part->extent.center()), reach = normal.cwiseAbs().dot(half);
  return {middle - reach, middle + reach};
}

Section Viewport::sectionAcross(int axis) const {
  Vec3 along;
  d->renderer->GetActiveCamera()->GetDirectionOfProjection(along.data());
  Section s;
  s.normal = Vec3::Unit(axis) * (along[axis] <= 0 ? 1 : -1); // the half towards the viewer is cut away
  if (m_part) s.offset = s.normal.dot(m_part->extent.center());
  return s;
}

/// Another section is a movement too: what is cut comes at once, and the whole of a fine mesh when it rests.
void Viewport::recut() {
  moving();
  rebuildMesh();
}

void Viewport::setSection(bool on) {
  if (!m_part) return; // there is nothing to cut
  if (on && m_show.sections.empty()) m_show.sections.push_back(sectionAcross(0));
  m_show.cut = on;
  recut();
}

void Viewport::addSection() {
  if (!m_part || m_show.sections.size() >= ViewLook::kMostSections) return;
  const int last = m_show.sections.empty() ? -1 : m_show.sections.back().axis();
  m_show.sections.push_back(sectionAcross((last + 1) % 3));
  m_show.active = m_show.sections.size() - 1;
  m_show.cut = true;
  recut();
}

void Viewport::dropSection() {
  if (!activeSection()) return;
  m_show.sections.erase(m_show.sections.begin() + static_cast<std::ptrdiff_t>(m_show.active));
  m_show.active = 0;
  m_show.cut = !m_show.sections.empty();
  recut();
}

void Viewport::activateSection(std::size_t index) {
  if (index >= m_show.sections.size() || index == m_show.active) return;
  m_show.active = index;
  emit sectionChanged();
}

void Viewport::nextSectionAxis() {
  if (!m_part) return;
  if (!m_show.cut) setSection(true);
  Section& s = *activeSection();
  const auto [lo, hi] = extentAlong(s.normal);
  // As far into the part as before, seen along the axis.
  double share = hi > lo ? (s.offset - lo) / (hi - lo) : 0.5;
  const int axis = s.axis();
  if (axis >= 0 && s.normal[axis] < 0) share = 1 - share;
  s = sectionAcross((axis + 1) % 3);
  const auto [from, to] = extentAlong(s.normal);
  s.offset = s.normal[s.axis()] > 0 ? from + share * (to - from) : to - share * (to - from);
  recut();
}

void Viewport::placeSection(double offset) {
  Section* s = activeSection();
  if (!s) return;
  const auto [lo, hi] = extentAlong(s->normal);
  s->offset = std::clamp(offset, lo, hi);
  moving();
  rebuildSection();
}

void Viewport::moveSection(double share) {
  Section* s = activeSection();
  if (!s) return;
  const auto [lo, hi] = extentAlong(s->normal);
  const int axis = s->axis();
  const double sign = axis >= 0 && s->normal[axis] < 0 ? -1 : 1; // up the axis, whichever half is away
  placeSection(s->offset + sign * share * (hi - lo));
}

void Viewport::flipSection() {
  if (Section* s = activeSection()) {
    s->normal = -s->normal;
    s->offset = -s->offset;
    recut();
  }
}

void Viewport::drawSection(const QPointF& from, const QPointF& to) {
  if (!m_part || (to - from).manhattanLength() < 8 || m_show.sections.size() >= ViewLook::kMostSections) return;
  const CameraFrame view = frame();
  Section s;
  s.normal = view.ray(from.x(), from.y()).cross(view.ray(to.x(), to.y())).normalized();
  s.offset = s.normal.dot(view.eye);
  if (!s.normal.allFinite()) return;
  m_show.sections.push_back(s);
  m_show.active = m_show.sections.size() - 1;
  m_show.cut = true;
  recut();
}

void Viewport::awaitSection(bool on) {
  if (m_awaitsSection && !on) m_outline2d->show({}); // the line that was being drawn
  m_awaitsSection = on && m_show.sections.size() < ViewLook::kMostSections;
  setCursor(m_awaitsSection ? Qt::CrossCursor : Qt::ArrowCursor);
}

std::size_t Viewport::sectionUnder(const QPointF& at) const {
  const CameraFrame view = frame();
  const Vec3 eye = view.eye, along = view.ray(at.x(), at.y());
  std::size_t found = m_show.active;
  double nearest = 1e300;
  Box room = m_part->box;
  room.grow(0.01 * room.diagonal());
  for (std::size_t i = 0; i < m_show.sections.size(); ++i) {
    const Section& s = m_show.sections[i];
    const double slope = s.normal.dot(along), w = slope != 0 ? -s.height(eye) / slope : -1;
    if (w <= 0 || w >= nearest) continue;
    const Vec3 x = eye + w * along;
    bool open = room.contains(x);
    for (std::size_t k = 0; k < m_show.sections.size(); ++k)
      open = open && (k == i || m_show.sections[k].height(x) <= 0);
    if (open) nearest = w, found = i;
  }
  return found;
}

void Viewport::setSectionManner(SectionManner m) {
  m_show.manner = m;
  if (m_show.cut) recut();
}

void Viewport::setSeeThrough(bool on) {
  m_show.seeThrough = on;
  rebuildPart();
  rebuildMesh();
}
void Viewport::setLinesOnly(bool on) {
  m_show.linesOnly = on;
  rebuildPart();
  rebuildMesh();
}
void Viewport::setNumbersShown(bool on) {
  m_show.numbers = on;
  rebuildNumbers();
}

void Viewport::rebuildNumbers() {
  m_numbers.clear();
  m_numberInSight.clear();
  m_tooManyNumbers = false;
  if (m_show.numbers && drawsMesh()) {
    const Mesh& m = m_run->mesh;
    std::set<std::int32_t> nodes;
    if (m_brush) {
      m_tooManyNumbers = m_brushed.size() > kMostNumbers;
      for (std::size_t i = 0; i < m_brushed.size() && !m_tooManyNumbers; ++i) {
        const auto c = static_cast<std::size_t>(m_brushed[i]);
        const auto n = m.cells.of(c);
        nodes.insert(n.begin(), n.end());
        m_numbers.push_back({cellCenter(m, c), QString::number(c + 1), true, false});
      }
    } else if (m_part && (m_pickDim == Dim::Face || m_pickDim == Dim::Body)) {
      const auto faces = facesOfSelection(*m_part, m_pickDim, m_selection);
      for (std::size_t f = 0; f < m.faces.size() && !faces.empty(); ++f)
        if (faces.count(m.faceLink[f])) {
          const auto n = m.faces.of(f);
          nodes.insert(n.begin(), n.end());
        }
    } else if (m_part) {
      std::set<int> ends; // the points at the ends of edges belong to them
      if (m_pickDim == Dim::Edge)
        for (int e : m_selection)
          for (int p : m_part->edges[static_cast<std::size_t>(e)].points) ends.insert(p);
      else
        ends = m_selection;
      for (std::size_t n = 0; n < m.nodeLink.size(); ++n) {
        const auto& l = m.nodeLink[n];
        if ((l.dim == 1 && m_pickDim == Dim::Edge && m_selection.count(l.entity)) ||
            (l.dim == 0 && ends.count(l.entity)))
          nodes.insert(static_cast<std::int32_t>(n));
      }
    }
    m_tooManyNumbers = m_tooManyNumbers || nodes.size() + m_numbers.size() > kMostNumbers;
    for (auto n : nodes)
      m_numbers.push_back({m.nodes[static_cast<std::size_t>(n)], QString::number(n + 1), false, false});
    if (m_tooManyNumbers) m_numbers.clear();
  }
  placeNumbers();
  emit numbersChanged();
}

void Viewport::setHandles(std::vector<EdgeHandle> handles) {
  if (m_heldHandle >= 0) return; // what is held stays until it is let go
  m_handles = std::move(handles);
  placeHandles();
}

namespace {
/// Lengths from an edge's start to the vertices of its drawn chain.
std::vector<double> lengthsAlong(const Part& part, int edge) {
  const auto& chain = part.drawn().edgeChain[static_cast<std::size_t>(edge)];
  auto at = [&](std::size_t i) -> const Vec3& { return part.drawn().points[static_cast<std::size_t>(chain[i])]; };
  std::vector<double> r{0};
  for (std::size_t i = 1; i < chain.size(); ++i) r.push_back(r.back() + (at(i) - at(i - 1)).norm());
  return r;
}
} // namespace

bool Viewport::inSight(const Vec3& p) const {
  if (m_show.seeThrough || m_show.linesOnly) return true;
  const QPointF at = project(p);
  double distance = 1e300;
  return hitTriangle(at, distance) < 0 || (p - frame().eye).norm() < distance + 0.01 * m_part->diagonal();
}

Vec3 Viewport::handlePoint(const EdgeHandle& h) const {
  if (h.edge < 0) return h.at + h.share * h.along;
  const auto along = lengthsAlong(*m_part, h.edge);
  const auto& chain = m_part->drawn().edgeChain[static_cast<std::size_t>(h.edge)];
  auto at = [&](std::size_t i) -> const Vec3& { return m_part->drawn().points[static_cast<std::size_t>(chain[i])]; };
  const double wanted = h.share * along.back();
  std::size_t k = 1;
  while (k + 1 < along.size() && along[k] < wanted) ++k;
  const double t = along[k] > along[k - 1] ? (wanted - along[k - 1]) / (along[k] - along[k - 1]) : 0;
  return at(k - 1) + std::clamp(t, 0.0, 1.0) * (at(k) - at(k - 1));
}

/// One along a line stands in space, where nothing hides it.
bool Viewport::handleShows(const EdgeHandle& h) const { return h.edge < 0 || inSight(handlePoint(h)); }

double Viewport::lengthNear(const EdgeHandle& h, const QPointF& p) const {
  const double step = 0.05 * m_part->diagonal();
  const QPointF from = project(h.at), way = project(h.at + step * h.along) - from;
  const double l2 = QPointF::dotProduct(way, way);
  if (l2 < 4) return h.share; // looked at along the line: no telling
  const double raw = QPointF::dotProduct(p - from, way) / l2 * step, pixel = step / std::sqrt(l2);
  double best = raw, near = 7 * pixel;
  for (double s : h.snaps)
    if (std::abs(s - raw) < near) near = std::abs(s - raw), best = s;
  return best;
}

QPointF Viewport::handleAt(const EdgeHandle& h) const { return project(handlePoint(h)); }

double Viewport::shareNear(int edge, const QPointF& p) const {
  const auto along = lengthsAlong(*m_part, edge);
  const auto& chain = m_part->drawn().edgeChain[static_cast<std::size_t>(edge)];
  auto at = [&](std::size_t k) -> const Vec3& { return m_part->drawn().points[static_cast<std::size_t>(chain[k])]; };
  const CameraFrame view = frame();
  const Vec3 ray = view.ray(p.x(), p.y());
  auto aside = [&](const Vec3& x) { return Vec3(x - x.dot(ray) * ray); }; // across the line of sight
  double best = std::numeric_limits<double>::max(), share = 0;
  for (std::size_t k = 1; k < chain.size(); ++k) {
    const Vec3 from = aside(at(k - 1) - view.eye), way = aside(at(k) - at(k - 1));
    const double t = way.squaredNorm() > 0 ? std::clamp(-from.dot(way) / way.squaredNorm(), 0.0, 1.0) : 0;
    const QPointF off = p - project(at(k - 1) + t * (at(k) - at(k - 1)));
    if (const double distance = QPointF::dotProduct(off, off); distance < best) {
      best = distance;
      share = (along[k - 1] + t * (along[k] - along[k - 1])) / std::max(1e-300, along.back());
    }
  }
  return share;
}

void Viewport::placeHandles() {
  std::vector<QPointF> at;
  for (std::size_t i = 0; i < m_handles.size(); ++i)
    if (static_cast<int>(i) == m_heldHandle || handleShows(m_handles[i])) at.push_back(handleAt(m_handles[i]));
  m_outline2d->showHandles(std::move(at));
}

void Viewport::placePoints() {
  // While the picture moves, what was hidden stays so, as for numbers.
  if (!m_moving || m_pointInSight.size() != m_points.size()) {
    m_pointInSight.assign(m_points.size(), 0);
    for (std::size_t i = 0; i < m_points.size(); ++i)
      m_pointInSight[i] = !m_show.away(m_points[i]) && inSight(m_points[i]);
  }
  std::vector<QPointF> at;
  for (std::size_t i = 0; i < m_points.size(); ++i)
    if (m_pointInSight[i]) at.push_back(project(m_points[i]));
  m_outline2d->showPoints(std::move(at));
}

std::size_t Viewport::pointsDrawn() const { return m_outline2d->pointCount(); }

void Viewport::placeNumbers() {
  // Chosen elements stand alone before a ghost of the part, and are all seen. While the picture moves, what was hidden
  // stays so: asking costs too much then.
  if (!m_moving || m_numberInSight.size() != m_numbers.size()) {
    m_numberInSight.assign(m_numbers.size(), 1);
    for (std::size_t i = 0; i < m_numbers.size() && !m_brush; ++i) m_numberInSight[i] = inSight(m_numbers[i].at);
  }
  std::vector<QPointF> at;
  std::vector<NumberLabel> shown;
  for (std::size_t i = 0; i < m_numbers.size(); ++i)
    if (m_numberInSight[i]) {
      shown.push_back(m_numbers[i]);
      at.push_back(project(m_numbers[i].at));
    }
  m_labels->show(shown, std::move(at));
  if (m_numbersTold != numbersDrawn()) {
    m_numbersTold = numbersDrawn();
    // What hears it lays out labels, which has no place in the middle of painting.
    QMetaObject::invokeMethod(this, &Viewport::numbersChanged, Qt::QueuedConnection);
  }
}

void Viewport::setShrunk(bool on) {
  m_show.shrunk = on;
  rebuildMesh();
}

void Viewport::setBrushed(const std::vector<std::int32_t>& cells, bool on) {
  const bool other = m_brush != on;
  m_brush = on;
  m_brushed = on ? cells : std::vector<std::int32_t>();
  chooseBrushDrawn(kBrushedInMotion);
  if (other) rebuildPart();
  rebuildMesh();
  moreBrushedLater();
  emit brushDrawn();
}

void Viewport::moreBrushedLater() {
  if (m_brushDrawn.size() < std::min(m_brushed.size(), kBrushedAtRest))
    m_brushRest.start();
  else
    m_brushRest.stop();
}

void Viewport::drawBrushed(std::size_t most) {
  chooseBrushDrawn(most);
  rebuildMesh();
  moreBrushedLater();
  emit brushDrawn();
}

void Viewport::chooseBrushDrawn(std::size_t most) {
  m_brushDrawn = m_brushed;
  if (m_brushDrawn.size() <= most || !m_run) return;
  const auto& value = m_run->audit.metrics[static_cast<std::size_t>(m_show.metric)].value;
  const bool high = metricInfo(m_show.metric).highIsGood;
  std::nth_element(m_brushDrawn.begin(), m_brushDrawn.begin() + static_cast<std::ptrdiff_t>(most), m_brushDrawn.end(),
                   [&](std::int32_t a, std::int32_t b) {
                     const double x = value[static_cast<std::size_t>(a)], y = value[static_cast<std::size_t>(b)];
                     return x != y ? (x < y) == high : a < b;
                   });
  m_brushDrawn.resize(most);
  std::sort(m_brushDrawn.begin(), m_brushDrawn.end()); // in the order of the memory they are read from
}

CameraFrame Viewport::frame() const {
  auto* c = d->renderer->GetActiveCamera();
  CameraFrame f;
  Vec3 up;
  c->GetPosition(f.eye.data());
  c->GetDirectionOfProjection(f.forward.data());
  c->GetViewUp(up.data());
  f.right = f.forward.cross(up).normalized();
  f.up = f.right.cross(f.forward);
  f.tangent = std::tan(0.5 * c->GetViewAngle() * kPi / 180);
  f.width = std::max(1, width());
  f.height = std::max(1, height());
  f.centreX = -c->GetWindowCenter()[0];
  f.centreY = -c->GetWindowCenter()[1];
  return f;
}

void Viewport::setCovered(const QMargins& margins) { m_covered = margins; }

void Viewport::lookAlong(const Vec3& target, double distance) {
  auto* c = d->renderer->GetActiveCamera();
  Vec3 dir;
  c->GetDirectionOfProjection(dir.data());
  const Vec3 eye = target - distance * dir;
  c->SetFocalPoint(target.x(), target.y(), target.z());
  c->SetPosition(eye.x(), eye.y(), eye.z());
  c->OrthogonalizeViewUp();
  hoverOver(-1);
  redraw();
}

void Viewport::centrePicture() {
  const QRect f = rect().marginsRemoved(m_centredFor);
  const double x = (f.left() + f.right() + 1.0) / std::max(1, width()) - 1,
               y = 1 - (f.top() + f.bottom() + 1.0) / std::max(1, height());
  d->renderer->GetActiveCamera()->SetWindowCenter(-x, -y);
}

QSize Viewport::freeForPicture() {
  m_centredFor = m_covered;
  if (const QRect f = rect().marginsRemoved(m_covered); f.width() < width() / 2 || f.height() < height() / 2)
    m_centredFor = {}; // a small view: rather behind the bars than tiny
  centrePicture();
  return rect().marginsRemoved(m_centredFor).size();
}

void Viewport::fit() {
  if (!m_part) return;
  const auto& t = m_part->drawn();
  std::vector<Vec3> points;
  Box box;
  for (std::size_t i = 0; i < t.triangles.size(); ++i)
    if (!m_hiddenFaces.count(t.triangleFace[i]))
      for (int v : t.triangles[i]) {
        points.push_back(t.points[static_cast<std::size_t>(v)]);
        box.add(points.back());
      }
  if (points.empty()) {
    box = m_part->box;
    points = {box.lo, box.hi};
  }
  const QSize room = freeForPicture();
  const Stand s =
      standToSee(frame(), points, box.center(), 0.94 * room.width(), 0.94 * room.height(), 1e-3 * m_part->diagonal());
  lookAlong(s.target, s.distance);
  m_fitted = true;
}

void Viewport::view(const Vec3& direction, const Vec3& up) {
  auto* c = d->renderer->GetActiveCamera();
  c->SetFocalPoint(0, 0, 0);
  Vec3 n = -direction.normalized();
  c->SetPosition(n.x(), n.y(), n.z());
  c->SetViewUp(up.x(), up.y(), up.z());
  fit();
}

void Viewport::flyTo(const Vec3& target, double extent) {
  m_fitted = false;
  const QSize room = freeForPicture();
  const double share = std::min(room.width(), room.height()) / static_cast<double>(std::max(1, height()));
  lookAlong(target, 0.49 * extent / std::sin(0.5 * d->renderer->GetActiveCamera()->GetViewAngle() * kPi / 180) / share);
}

QPointF Viewport::project(const Vec3& p) const {
  const auto at = frame().project(p);
  return at ? QPointF(at->x, at->y) : QPointF(-1, -1);
}

int Viewport::hitTriangle(const QPointF& at, double& best) const {
  if (!m_part || width() < 1 || height() < 1) return -1;
  const CameraFrame view = frame();
  const Vec3 o = view.eye, dir = view.ray(at.x(), at.y());
  const auto& t = m_part->drawn();
  best = 1e300;
  auto enter = [&](const Box& b, int) {
    double lo = 0, hi = 1e300;
    for (int k = 0; k < 3; ++k) {
      double inv = 1 / (dir[k] != 0 ? dir[k] : 1e-300), x = (b.lo[k] - o[k]) * inv, y = (b.hi[k] - o[k]) * inv;
      lo = std::max(lo, std::min(x, y));
      hi = std::min(hi, std::max(x, y));
    }
    return lo <= hi * (1 + 1e-12) ? lo : 1e300;
  };
  return m_tree.minimum(best, enter, [&](int i) {
    if (m_hiddenFaces.count(t.triangleFace[static_cast<std::size_t>(i)])) return 1e300;
    const auto& q = t.triangles[static_cast<std::size_t>(i)];
    const Vec3 &a = t.points[static_cast<std::size_t>(q[0])], &b = t.points[static_cast<std::size_t>(q[1])],
               &c = t.points[static_cast<std::size_t>(q[2])];
    Vec3 e1 = b - a, e2 = c - a, h = dir.cross(e2);
    double det = e1.dot(h);
    if (std::abs(det) < 1e-300) return 1e300;
    Vec3 s = o - a;
    double u = s.dot(h) / det, v = dir.dot(s.cross(e1)) / det, w = e2.dot(s.cross(e1)) / det;
    if (u < 0 || v < 0 || u + v > 1 || w <= 0) return 1e300;
    if (m_show.away(o + w * dir)) return 1e300;
    return w;
  });
}

int Viewport::pick(const QPointF& at) const {
  double distance = 1e300;
  int tri = hitTriangle(at, distance);
  return pick(at, tri, distance);
}

int Viewport::pick(const QPointF& at, int tri, double best) const {
  if (!m_part) return -1;
  const Vec3 o = frame().eye;
  const auto& t = m_part->drawn();
  int face = tri >= 0 ? t.triangleFace[static_cast<std::size_t>(tri)] : -1;
  if (m_pickDim == Dim::Face) return face;
  if (m_pickDim == Dim::Body) return face < 0 ? -1 : m_part->faces[static_cast<std::size_t>(face)].bodies[0];
  // Edges and points: the nearest on the screen within 9 pixels that the surface does not hide.
  int found = -1;
  double reach = 9;
  auto visible = [&](const Vec3& p) { return best > 1e299 || (p - o).norm() < best + 0.01 * m_part->diagonal(); };
  if (m_pickDim == Dim::Edge) {
    for (int e = 0; e < m_part->count(Dim::Edge); ++e) {
      const auto& chain = t.edgeChain[static_cast<std::size_t>(e)];
      for (std::size_t i = 0; i + 1 < chain.size(); ++i) {
        const Vec3 &a = t.points[static_cast<std::size_t>(chain[i])],
                   &b = t.points[static_cast<std::size_t>(chain[i + 1])];
        QPointF p = project(a), q = project(b);
        Vec3 s(at.x(), at.y(), 0), x(p.x(), p.y(), 0), y(q.x(), q.y(), 0);
        double w = closestOnSegment(s, x, y), dist = (s - (x + w * (y - x))).norm();
        if (dist < reach && visible(a + w * (b - a))) reach = dist, found = e;
      }
    }
  } else
    for (int k = 0; k < m_part->count(Dim::Point); ++k) {
      if (m_part->points[static_cast<std::size_t>(k)].hidden) continue;
      QPointF p = project(m_part->points[static_cast<std::size_t>(k)].at);
      double dist = std::hypot(p.x() - at.x(), p.y() - at.y());
      if (dist < reach && visible(m_part->points[static_cast<std::size_t>(k)].at)) reach = dist, found = k;
    }
  return found;
}

void Viewport::turn(const QPointF& delta) {
  moving();
  auto* c = d->renderer->GetActiveCamera();
  c->Azimuth(-0.45 * delta.x());
  c->Elevation(0.45 * delta.y());
  c->OrthogonalizeViewUp();
  update();
}

void Viewport::pan(const QPointF& delta) {
  moving();
  m_fitted = false;
  auto* c = d->renderer->GetActiveCamera();
  const CameraFrame view = frame();
  Vec3 f;
  c->GetFocalPoint(f.data());
  const double pixel = 2 * (f - view.eye).norm() * view.tangent / view.height;
  const Vec3 by = pixel * (delta.y() * view.up - delta.x() * view.right), p = view.eye + by, to = f + by;
  c->SetPosition(p.data());
  c->SetFocalPoint(to.data());
  update();
}

std::set<int> Viewport::inside(const QRectF& box) const {
  std::set<int> r;
  if (!m_part) return r;
  const auto& t = m_part->drawn();
  auto in = [&](const Vec3& p) { return box.contains(project(p)); };
  auto at = [&](int v) -> const Vec3& { return t.points[static_cast<std::size_t>(v)]; };
  if (m_pickDim == Dim::Point) {
    for (int k = 0; k < m_part->count(Dim::Point); ++k)
      if (!m_part->points[static_cast<std::size_t>(k)].hidden && in(m_part->points[static_cast<std::size_t>(k)].at))
        r.insert(k);
    return r;
  }
  if (m_pickDim == Dim::Edge) {
    for (int e = 0; e < m_part->count(Dim::Edge); ++e) {
      const auto& chain = t.edgeChain[static_cast<std::size_t>(e)];
      if (!chain.empty() && std::all_of(chain.begin(), chain.end(), [&](int v) { return in(at(v)); })) r.insert(e);
    }
    return r;
  }
  std::vector<char> faceIn(m_part->faces.size(), 1);
  for (int f : m_hiddenFaces) faceIn[static_cast<std::size_t>(f)] = 0;
  for (std::size_t i = 0; i < t.triangles.size(); ++i) {
    auto& whole = faceIn[static_cast<std::size_t>(t.triangleFace[i])];
    for (int v : t.triangles[i]) whole = whole && in(at(v));
  }
  for (int f = 0; m_pickDim == Dim::Face && f < m_part->count(Dim::Face); ++f)
    if (faceIn[static_cast<std::size_t>(f)]) r.insert(f);
  for (int b = 0; m_pickDim == Dim::Body && b < m_part->count(Dim::Body); ++b) {
    const auto& faces = m_part->bodies[static_cast<std::size_t>(b)].faces;
    if (std::all_of(faces.begin(), faces.end(), [&](int f) { return faceIn[static_cast<std::size_t>(f)]; }))
      r.insert(b);
  }
  return r;
}

void Viewport::mousePressEvent(QMouseEvent* e) {
  m_last = m_pressed = e->position();
  m_dragging = false;
  m_heldHandle = -1;
  for (std::size_t i = 0; i < m_handles.size() && e->button() == Qt::LeftButton; ++i)
    if (const QPointF off = handleAt(m_handles[i]) - e->position();
        off.manhattanLength() < 12 && handleShows(m_handles[i]))
      m_heldHandle = static_cast<int>(i);
  if (m_heldHandle >= 0) return;
  if (m_show.cut && m_part && !m_awaitsSection && e->button() == Qt::LeftButton)
    activateSection(sectionUnder(e->position()));
}

void Viewport::mouseMoveEvent(QMouseEvent* e) {
  if (m_heldHandle >= 0) {
    EdgeHandle& h = m_handles[static_cast<std::size_t>(m_heldHandle)];
    h.share = h.edge < 0 ? lengthNear(h, e->position()) : shareNear(h.edge, e->position());
    m_handleMoved = true;
    placeHandles();
    emit handleMoved(h, false);
    return;
  }
  QPointF delta = e->position() - m_last;
  if (e->buttons() && (e->position() - m_pressed).manhattanLength() > 4) m_dragging = true;
  if (m_dragging && (e->buttons() & Qt::RightButton))
    turn(delta);
  else if (m_dragging && (e->buttons() & Qt::MiddleButton))
    pan(delta);
  else if (m_awaitsSection && (e->buttons() & Qt::LeftButton))
    m_outline2d->show({QPolygonF() << m_pressed << e->position()});
  else if (m_dragging && (e->buttons() & Qt::LeftButton) && m_show.cut) { // a drag moves the plane
    const Section& s = *activeSection();
    const double step = 0.1 * m_part->diagonal();
    const Vec3 on = m_part->box.center() - s.height(m_part->box.center()) * s.normal;
    const QPointF dir = project(on + step * s.normal) - project(on);
    const double l2 = dir.x() * dir.x() + dir.y() * dir.y();
    if (l2 > 1) placeSection(s.offset + (delta.x() * dir.x() + delta.y() * dir.y()) / l2 * step);
  } else if (m_dragging && (e->buttons() & Qt::LeftButton)) { // a box that takes in what lies inside
    if (!m_band) m_band = new QRubberBand(QRubberBand::Rectangle, this);
    m_band->setGeometry(QRectF(m_pressed, e->position()).normalized().toRect());
    m_band->show();
  } else if (!e->buttons()) {
    double distance = 1e300;
    int tri = hitTriangle(e->position(), distance);
    if (tri >= 0) {
      const CameraFrame view = frame();
      emit surfaceHovered(m_part->drawn().triangleFace[static_cast<std::size_t>(tri)],
                          view.eye + distance * view.ray(e->position().x(), e->position().y()), e->position());
    } else
      emit surfaceHovered(-1, Vec3::Zero(), e->position());
    hoverOver(pick(e->position(), tri, distance));
  }
  m_last = e->position();
}

void Viewport::mouseReleaseEvent(QMouseEvent* e) {
  if (m_heldHandle >= 0) {
    const EdgeHandle h = m_handles[static_cast<std::size_t>(std::exchange(m_heldHandle, -1))];
    if (std::exchange(m_handleMoved, false)) emit handleMoved(h, true);
    return;
  }
  if (m_awaitsSection && e->button() == Qt::LeftButton) {
    awaitSection(false);
    drawSection(m_pressed, e->position());
    return;
  }
  if (m_band && m_band->isVisible() && e->button() == Qt::LeftButton) {
    m_band->hide();
    auto chosen = inside(QRectF(m_pressed, e->position()).normalized());
    if (!(e->modifiers() & Qt::ControlModifier)) m_selection.clear();
    m_selection.merge(chosen);
    rebuildHighlight();
    emit selectionChanged();
  }
  if (m_dragging) return;
  if (e->button() == Qt::RightButton) emit menuRequested(e->globalPosition().toPoint());
  if (e->button() != Qt::LeftButton) return;
  int hit = pick(e->position());
  bool extend = e->modifiers() & Qt::ControlModifier;
  if (!extend) m_selection.clear();
  if (hit >= 0) {
    if (m_selection.count(hit))
      m_selection.erase(hit);
    else
      m_selection.insert(hit);
  }
  rebuildHighlight();
  emit selectionChanged();
}

void Viewport::wheelEvent(QWheelEvent* e) {
  moving();
  m_fitted = false;
  double factor = std::pow(1.0015, e->angleDelta().y());
  // The place under the pointer stays under it.
  auto* c = d->renderer->GetActiveCamera();
  const CameraFrame view = frame();
  const Vec3 dir = view.ray(e->position().x(), e->position().y());
  Vec3 f;
  c->GetFocalPoint(f.data());
  const double depth = (f - view.eye).norm(), along = dir.dot(view.forward);
  const Vec3 target = view.eye + dir * (depth / std::max(0.1, along));
  const Vec3 p = target + (view.eye - target) / factor, nf = p + view.forward * depth / factor;
  c->SetPosition(p.data());
  c->SetFocalPoint(nf.data());
  update();
}

void Viewport::leaveEvent(QEvent*) {
  emit surfaceHovered(-1, Vec3::Zero(), {});
  hoverOver(-1);
}

void Viewport::hoverOver(int entity) {
  if (entity == m_hover) return;
  m_hover = entity;
  m_outline2d->show(m_part && entity >= 0 ? outlineOf(m_pickDim, entity) : std::vector<QPolygonF>());
}

std::size_t Viewport::hoverLines() const { return m_outline2d->lines().size(); }

std::vector<QPolygonF> Viewport::outlineOf(Dim dim, int entity) const {
  std::vector<QPolygonF> lines;
  const auto& t = m_part->drawn();
  auto at = [&](int v) -> const Vec3& { return t.points[static_cast<std::size_t>(v)]; };
  if (dim == Dim::Point) {
    const QPointF p = project(m_part->points[static_cast<std::size_t>(entity)].at);
    lines.push_back(QPolygonF(QRectF(p - QPointF(4, 4), QSizeF(8, 8))));
    return lines;
  }
  const Vec3 eye = frame().eye;
  auto seen = [&](const Vec3& x) {
    if (m_show.away(x)) return false;
    double distance = 1e300;
    return hitTriangle(project(x), distance) < 0 || distance > (x - eye).norm() - 0.004 * m_part->diagonal();
  };
  // In pieces of some pixels, so that what is half hidden is drawn by half.
  auto piece = [&](const Vec3& a, const Vec3& b) {
    const QPointF way = project(b) - project(a);
    const int n = std::clamp(static_cast<int>(std::hypot(way.x(), way.y()) / 10), 1, 200);
    for (int i = 0; i < n; ++i) {
      const Vec3 p = a + (b - a) * i / n, q = a + (b - a) * (i + 1) / n;
      if (!seen(0.5 * (p + q))) continue;
      if (!lines.empty() && lines.back().last() == project(p))
        lines.back() << project(q);
      else
        lines.push_back(QPolygonF() << project(p) << project(q));
    }
  };
  std::set<int> edges;
  const auto faces = dim == Dim::Edge ? std::set<int>() : facesOfSelection(*m_part, dim, {entity});
  if (dim == Dim::Edge) edges.insert(entity);
  for (int f : faces) {
    const auto& of = m_part->faces[static_cast<std::size_t>(f)].edges;
    edges.insert(of.begin(), of.end());
  }
  for (int e : edges) {
    const auto& chain = t.edgeChain[static_cast<std::size_t>(e)];
    for (std::size_t i = 0; i + 1 < chain.size(); ++i) piece(at(chain[i]), at(chain[i + 1]));
  }
  // Where a face turns away from the eye it ends as well; bodies of very many triangles show their edges alone.
  const auto many =
      std::count_if(t.triangleFace.begin(), t.triangleFace.end(), [&](int f) { return faces.count(f) > 0; });
  if (many > kOutlined) return lines;
  std::map<std::pair<int, int>, bool> sides; // of triangles met once: whether they face the eye
  for (std::size_t i = 0; i < t.triangles.size(); ++i) {
    if (!faces.count(t.triangleFace[i])) continue;
    const auto& q = t.triangles[i];
    const bool front = (at(q[1]) - at(q[0])).cross(at(q[2]) - at(q[0])).dot(at(q[0]) - eye) < 0;
    for (std::size_t k = 0; k < 3; ++k) {
      const auto side = std::minmax(q[k], q[(k + 1) % 3]);
      const auto [other, fresh] = sides.emplace(side, front);
      if (!fresh && other->second != front) piece(at(side.first), at(side.second));
    }
  }
  return lines;
}

} // namespace tess
