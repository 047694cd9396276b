// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/forecast.h"
#include "base/bvh.h"
#include "base/parallel.h"
#include "job/capacity.h"
#include "job/cuts.h"
#include "job/fills.h"
#include "job/layers.h"
#include "job/preview.h"
#include "job/values.h"
#include <cmath>
#include <map>

namespace tess {
namespace {

// Measured by bench_forecast over the sample parts and random parts: elements = kVolume * Iv + kArea * Ia with
// Iv = integral of h^-3 over the volume, Ia = integral of h^-2 over the faces.
constexpr double kVolume = 9.6, kArea = 0.6;
constexpr double kRows = 1;         // hexahedra in rows, of Iv
constexpr double kPaved = 1.15;     // hexahedra in layers over quadrilaterals on any face, of Iv
constexpr double kAboutAxis = 2.2;  // likewise, with a core along an axis
constexpr double kFiner = 0.5;      // so many more of those where edges, holes and steps are short against the size
constexpr double kLayers = 2.31;    // wedges over triangles of side h, of Iv
constexpr double kTriangles = 2.31; // 4 / sqrt(3): equilateral triangles of side h
constexpr double kCutEdges = 0.8;   // edges that come with every element more of cutting
constexpr double kRange = 0.25;

/// Random in [0, 1) from a counter: the same for any order of evaluation (splitmix64; Steele, Lea & Flood 2014).
double jitter(std::uint64_t n) {
  std::uint64_t z = n * 0x9E3779B97F4A7C15ull + 0x9E3779B97F4A7C15ull;
  z = (z ^ (z >> 30)) * 0xBF58476D1CE4E5B9ull;
  z = (z ^ (z >> 27)) * 0x94D049BB133111EBull;
  return static_cast<double>((z ^ (z >> 31)) >> 11) * 0x1p-53;
}

struct Tally {
  double volume = 0, area = 0; ///< the two integrals, of bodies of tetrahedra and of all faces
  double freeArea = 0;         ///< of faces that tetrahedra touch
  double rows = 0;             ///< the integral over volume of bodies filled with rows of hexahedra
  double paved = 0;            ///< of those with layers of hexahedra
  double layers = 0;           ///< and of those with layers of wedges
  double more = 0;             ///< elements that come of cutting those
  double walls = 0;            ///< cells of layers on walls
  double taken = 0;            ///< of `volume`, what lies in those
  std::map<int, double> byRule;
  std::vector<double> byBody;
};

/// Crossings of a vertical line with the part: height and the body above.
struct Crossing {
  double z;
  int above;
};

} // namespace

Forecast forecastBrief(const Brief& brief, const Part& part, Progress& progress) {
  std::vector<Problem> problems;
  auto groups = resolveGroups(brief, part, problems);
  SizeRequest request = sizeRequestOf(brief, part, groups, problems, &progress);
  if (auto p = tooManyElements(brief, part, request)) {
    Forecast f;
    f.problems = std::move(problems);
    f.problems.push_back(*p);
    return f;
  }
  meetBudget(brief, part, request, 1, progress);
  Forecast f = forecastField(brief, part, makeSizeField(part, request, &progress), progress);
  f.problems.insert(f.problems.begin(), problems.begin(), problems.end());
  const auto small = smallAtCuts(part, request, &progress);
  f.problems.insert(f.problems.end(), small.begin(), small.end());
  return f;
}

void meetBudget(const Brief& brief, const Part& part, SizeRequest& request, double correction, Progress& progress) {
  for (auto& s : request.sampled) {
    if (s.budget <= 0) continue;
    // The count falls with the cube of the size at most, and less where other sizes decide: a secant on logarithms,
    // kept within a bracket.
    double lo = -12, hi = 12, x = 0; // logarithm of the factor; a larger factor gives fewer elements
    const std::vector<double> base = s.size;
    for (int pass = 0; pass < 12; ++pass) {
      for (std::size_t i = 0; i < base.size(); ++i) s.size[i] = std::exp(x) * base[i];
      double n = correction * forecastField(brief, part, makeSizeField(part, request, &progress), progress).elements;
      double off = std::log(n / s.budget);
      if (std::abs(off) < 0.02) break;
      (off > 0 ? lo : hi) = x;
      double next = x + off / 2.5;
      if (next <= lo || next >= hi) next = 0.5 * (std::max(lo, x - 3) + std::min(hi, x + 3));
      if (std::abs(next - x) < 1e-3) break;
      x = next;
    }
  }
}

Forecast forecastField(const Brief& brief, const Part& part, const SizeField& field, Progress& progress) {
  Forecast f;
  const SizeField size = field.forScatteredPlaces();
  const auto& t = part.display;
  auto pt = [&](int v) -> const Vec3& { return t.points[static_cast<std::size_t>(v)]; };
  Tally sum;
  sum.byBody.assign(part.bodies.size(), 0);
  std::vector<Problem> unused; // told where they belong
  std::vector<BodyPlan> plan;
  std::vector<double> hexahedra(part.bodies.size(), 0); // in layers, of Iv; 0 where these are wedges
  std::vector<char> round(part.bodies.size(), 0);       // across those, too
  std::vector<char> cutInto(part.bodies.size(), 0);     // tetrahedra
  if (std::any_of(brief.rules.begin(), brief.rules.end(), [](const Rule& r) {
        return r.kind == "fill" && !r.off && r.get("with") != fillName(Fill::Tetrahedra);
      })) {
    const MeshPlan whole = planOfBrief(brief, part, resolveGroups(brief, part, unused), unused);
    plan = whole.bodies;
    for (std::size_t b = 0; b < plan.size(); ++b) cutInto[b] = whole.cut(static_cast<int>(b));
    for (const Sweep& s : whole.sweeps) {
      const std::vector<int> ends = s.steps.empty() ? s.sources() : s.steps;
      const bool quads = s.across != Across::Triangles && std::all_of(ends.begin(), ends.end(), [&](int end) {
                           return whole.faces[static_cast<std::size_t>(end)].quads || whole.cut(part, end);
                         });
      hexahedra[static_cast<std::size_t>(s.body)] = !quads ? 0 : s.axis ? kAboutAxis : kPaved;
      round[static_cast<std::size_t>(s.body)] =
          !s.closed && s.steps.empty() && whole.faces[static_cast<std::size_t>(s.source)].mapped >= 0;
    }
  }
  auto fillOf = [&](int body) {
    return body >= 0 && !plan.empty() ? plan[static_cast<std::size_t>(body)].fill : Fill::Tetrahedra;
  };
  auto structured = [&](int body) { return fillOf(body) != Fill::Tetrahedra; };

  LayerWishes onWalls;
  if (brief.first("layers")) onWalls = layersOf(brief, part, resolveGroups(brief, part, unused), unused);

  // Faces: each display triangle is cut into pieces that are small against the size there.
  std::vector<std::map<int, double>> faceRule(t.triangles.size());
  std::vector<double> faceSum(t.triangles.size(), 0), wallTaken(t.triangles.size(), 0);
  std::vector<std::array<double, 2>> wallSum(t.triangles.size(), {0, 0}); // triangles times layers, by side
  parallelFor(
      t.triangles.size(), &progress,
      [&](std::size_t i) {
        const Vec3 &a = pt(t.triangles[i][0]), &b = pt(t.triangles[i][1]), &c = pt(t.triangles[i][2]);
        double area = triangleArea(a, b, c), longest = std::max({(a - b).norm(), (b - c).norm(), (c - a).norm()});
        double h = size.at((a + b + c) / 3);
        int n = std::clamp(static_cast<int>(std::ceil(longest / (1.5 * h))), 1, 24);
        for (int u = 0; u < n; ++u)
          for (int v = 0; v < 2 * (n - u) - 1; ++v) { // n * n equal pieces
            double x = (u + (v & 1 ? 2.0 : 1.0) / 3) / n, y = (v / 2 + (v & 1 ? 2.0 : 1.0) / 3) / n;
            SizeReason r = size.deciding(a + x * (b - a) + y * (c - a));
            double w = area / (n * n) / (r.size * r.size);
            faceSum[i] += w;
            if (onWalls.any())
              for (std::size_t s = 0; s < 2; ++s) {
                const auto wall = static_cast<std::size_t>(t.triangleFace[i]);
                const int stack = onWalls.ofFace[wall][s], body = part.faces[wall].bodies[s];
                if (stack < 0 || body < 0 || structured(body)) continue;
                const LayerStack& asked = onWalls.stacks[static_cast<std::size_t>(stack)];
                wallSum[i][s] += w * askedLayers(asked, r.size);
                wallTaken[i] += w * askedHeight(asked, r.size) / r.size;
              }
            faceRule[i][r.rule] += w;
          }
      },
      16);
  for (std::size_t i = 0; i < faceSum.size(); ++i) {
    sum.area += faceSum[i];
    sum.taken += wallTaken[i];
    for (std::size_t s = 0; s < 2; ++s)
      if (wallSum[i][s] > 0) {
        const auto wall = static_cast<std::size_t>(t.triangleFace[i]);
        const double cells = kTriangles * wallSum[i][s];
        sum.walls += cells;
        sum.byRule[onWalls.stacks[static_cast<std::size_t>(onWalls.ofFace[wall][s])].rule] += cells;
        sum.byBody[static_cast<std::size_t>(part.faces[wall].bodies[s])] += cells;
      }
    const auto& bodies = part.faces[static_cast<std::size_t>(t.triangleFace[i])].bodies;
    if (std::none_of(bodies.begin(), bodies.end(), [&](int b) { return b >= 0 && !structured(b); })) continue;
    sum.freeArea += faceSum[i];
    for (const auto& [rule, w] : faceRule[i]) sum.byRule[rule] += kArea * w;
    for (int body : bodies)
      if (body >= 0 && !structured(body)) sum.byBody[static_cast<std::size_t>(body)] += kArea * faceSum[i];
  }

  // Bodies: columns of a jittered grid; where the size is small against the grid, a cell is sampled more often.
  std::vector<Box> flat(t.triangles.size());
  for (std::size_t i = 0; i < flat.size(); ++i) {
    for (int v : t.triangles[i]) flat[i].add(pt(v));
    flat[i].lo.z() = flat[i].hi.z() = 0;
  }
  Bvh tree(flat);
  Vec3 extent = part.box.size();
  double step = std::cbrt(std::max(extent.x(), 1e-3 * part.diagonal()) * std::max(extent.y(), 1e-3 * part.diagonal()) *
                          std::max(extent.z(), 1e-3 * part.diagonal()) / 60000);
  const auto nx = static_cast<std::size_t>(std::ceil(extent.x() / step)),
             ny = static_cast<std::size_t>(std::ceil(extent.y() / step)),
             nz = static_cast<std::size_t>(std::ceil(extent.z() / step));
  struct Column {
    double volume = 0, rows = 0, paved = 0, layers = 0, more = 0;
    std::map<int, double> byRule;
    std::map<int, double> byBody;
  };
  std::vector<Column> columns(nx * ny);
  auto crossings = [&](double x, double y) {
    std::vector<Crossing> r;
    Box line;
    line.add(Vec3(x, y, 0));
    tree.overlapping(line, [&](int i) {
      const auto& q = t.triangles[static_cast<std::size_t>(i)];
      const Vec3 &a = pt(q[0]), &b = pt(q[1]), &c = pt(q[2]);
      double det = (b.x() - a.x()) * (c.y() - a.y()) - (b.y() - a.y()) * (c.x() - a.x());
      if (det == 0) return true;
      double u = ((x - a.x()) * (c.y() - a.y()) - (y - a.y()) * (c.x() - a.x())) / det,
             v = ((b.x() - a.x()) * (y - a.y()) - (b.y() - a.y()) * (x - a.x())) / det;
      if (u < 0 || v < 0 || u + v > 1) return true;
      const auto& bodies = part.faces[static_cast<std::size_t>(t.triangleFace[static_cast<std::size_t>(i)])].bodies;
      r.push_back({a.z() + u * (b.z() - a.z()) + v * (c.z() - a.z()), det > 0 ? bodies[1] : bodies[0]});
      return true;
    });
    std::sort(r.begin(), r.end(), [](const Crossing& p, const Crossing& q) { return p.z < q.z; });
    return r;
  };
  parallelFor(
      columns.size(), &progress,
      [&](std::size_t k) {
        Column& col = columns[k];
        double x0 = part.box.lo.x() + step * static_cast<double>(k % nx),
               y0 = part.box.lo.y() + step * static_cast<double>(k / nx);
        // Sizes along the column decide how finely it is cut.
        double least = size.overall();
        for (std::size_t z = 0; z < nz; ++z)
          least = std::min(least, size.at({x0 + 0.5 * step, y0 + 0.5 * step,
                                           part.box.lo.z() + step * (static_cast<double>(z) + 0.5)}));
        int cut = std::clamp(static_cast<int>(std::ceil(0.9 * step / least)), 1, 4);
        double s = step / cut;
        for (int i = 0; i < cut * cut; ++i) {
          std::uint64_t seed = (k * 64 + static_cast<std::uint64_t>(i)) * 4096;
          double x = x0 + s * (i % cut + jitter(seed)), y = y0 + s * (i / cut + jitter(seed + 1));
          auto hits = crossings(x, y);
          std::uint64_t n = 2;
          for (std::size_t h = 0; h + 1 < hits.size(); ++h) {
            if (hits[h].above < 0) continue;
            double length = hits[h + 1].z - hits[h].z;
            int m = std::clamp(static_cast<int>(std::ceil(length / s)), 1, 2000);
            for (int j = 0; j < m; ++j) {
              double z = hits[h].z + length * (j + jitter(seed + ++n)) / m;
              SizeReason r = size.deciding({x, y, z}, hits[h].above);
              double w = s * s * length / m / (r.size * r.size * r.size);
              const auto body = static_cast<std::size_t>(hits[h].above);
              const Fill fill = fillOf(hits[h].above);
              const double paved = fill == Fill::Swept ? hexahedra[body] : 0;
              if (fill == Fill::Tetrahedra)
                col.volume += w;
              else if (fill == Fill::Mapped || round[body])
                col.rows += w;
              else if (paved > 0)
                col.paved += paved * w;
              else
                col.layers += w;
              double count = w * (fill == Fill::Tetrahedra              ? kVolume
                                  : fill == Fill::Mapped || round[body] ? kRows
                                  : paved > 0                           ? paved
                                                                        : kLayers);
              if (cutInto[body]) {
                const bool wedges = fill == Fill::Swept && !round[body] && paved == 0;
                const double extra = count * (wedges ? 2 : 5);
                col.more += extra;
                count += extra;
              }
              col.byRule[r.rule] += count;
              col.byBody[hits[h].above] += count;
            }
          }
        }
      },
      4);
  for (const auto& c : columns) {
    sum.volume += c.volume;
    sum.rows += c.rows;
    sum.paved += c.paved;
    sum.layers += c.layers;
    sum.more += c.more;
    for (const auto& [rule, n] : c.byRule) sum.byRule[rule] += n;
    for (const auto& [body, n] : c.byBody) sum.byBody[static_cast<std::size_t>(body)] += n;
  }

  constexpr double kMostTaken = 0.6; // of the space: stacks give way before they fill it
  const double taken = std::min(sum.taken, kMostTaken * sum.volume);
  const double free = kVolume * (sum.volume - taken) + kArea * sum.freeArea, rows = kRows * sum.rows + sum.paved,
               layers = kLayers * sum.layers;
  f.elements = free + rows + layers + sum.more + sum.walls;
  f.surfaceTriangles = kTriangles * sum.area;
  // Nodes by counting: an inner node of such a mesh has about 5.8 elements of its own, a surface node half as many.
  // In rows of hexahedra each has one, and three edges; in layers of wedges two, and four edges.
  double nodes = free / 5.8 + 0.26 * f.surfaceTriangles + 0.5 * sum.walls;
  bool quadratic = orderOf(brief) == 2;
  // Euler's formula: edges = nodes + elements + half of the surface triangles - 1.
  f.nodes = quadratic ? 2 * nodes + free + 0.5 * f.surfaceTriangles + 4 * rows + 2.5 * layers + kCutEdges * sum.more
                      : nodes + rows + 0.5 * layers;
  f.low = f.elements * (1 - kRange);
  f.high = f.elements * (1 + kRange) + kFiner * sum.paved;
  const TimeAndMemory cost = expectedCost({f.elements, f.surfaceTriangles, quadratic}, part);
  f.seconds = cost.seconds;
  f.memoryBytes = cost.memoryBytes;
  f.calibrationRuns = cost.runs;
  f.calibrationOfPart = cost.ofThePart;

  for (const auto& [rule, n] : sum.byRule) f.byRule.push_back({rule, sizeReasonName(brief, rule), n});
  for (std::size_t b = 0; b < sum.byBody.size(); ++b)
    f.byBody.push_back({static_cast<int>(b), part.bodies[b].name, sum.byBody[b]});
  for (auto* list : {&f.byRule, &f.byBody})
    std::stable_sort(list->begin(), list->end(),
                     [](const ForecastShare& a, const ForecastShare& b) { return a.elements > b.elements; });
  if (!f.byRule.empty() && f.byRule[0].rule != kReasonOverall && f.byRule[0].rule != kReasonTurn &&
      f.byRule[0].elements > 0.6 * f.elements) {
    Problem p;
    p.severity = Severity::Warning;
    p.code = "forecast.one-rule";
    p.what =
        percentText(f.byRule[0].elements / f.elements) + " of the elements come from one rule: " + f.byRule[0].name;
    p.why = "it asks for small elements, and sizes grow slowly from there";
    p.todo = "raise that size, or the growth, if so many elements are not meant";
    f.problems.push_back(p);
  }
  if (auto p = overBudget(brief, f)) f.problems.push_back(*p);
  return f;
}

std::optional<Problem> overBudget(const Brief& asWritten, const Forecast& f) {
  const Brief brief = settled(asWritten);
  const Rule* r = brief.first("everywhere");
  double budget = r ? slotNumber(*r, "budget", "mm") : 0;
  if (budget <= 0 || f.elements <= budget) return {};
  Problem p;
  p.severity = Severity::Warning;
  p.fault = Fault::Usage;
  p.code = "forecast.budget";
  p.what =
      "the mesh would have about " + roughly(f.elements) + " elements, over the budget of " + formatNumber(budget, 9);
  if (!f.byRule.empty())
    p.why = percentText(f.byRule[0].elements / f.elements) + " of them come from: " + f.byRule[0].name;
  p.todo = "raise the sizes or the budget, or let the mesh be made all the same";
  return p;
}

} // namespace tess
