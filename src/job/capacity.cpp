// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/capacity.h"
#include "base/memory.h"
#include "job/preview.h"
#include "job/size_rules.h"

namespace tess {
namespace {
/// How many elements this machine could mesh now.
struct Capacity {
  double elements;
  std::string why;
};
Capacity elementsThatFit() {
  // What a run takes at its peak, at the least that was measured (bench/README.md: 169 to 242 bytes an element).
  constexpr double kBytes = 150;
  // Nodes, elements and their neighbours have numbers of 32 bits, four neighbours to an element.
  constexpr double kNumbers = 2147483648.0 / 4;
  const auto bytes = static_cast<double>(memoryByDefault());
  if (bytes <= 0 || bytes / kBytes > kNumbers)
    return {kNumbers, "the program counts to about " + roughly(kNumbers) + " elements"};
  return {bytes / kBytes,
          "the " + memoryText(bytes) + " that this machine can give hold about " + roughly(bytes / kBytes)};
}

/// Elements that sizes alone make for certain, with the rule that makes most of them; far below the forecast, but
/// known at once.
std::pair<double, int> leastElements(const Part& part, const SizeRequest& request, double target) {
  double sum = 8.5 * part.volume() / (target * target * target) + 9 * part.surfaceArea() / (target * target),
         most = sum;
  int rule = -1;
  auto add = [&](double n, int r) {
    sum += n;
    if (n > most) most = n, rule = r;
  };
  for (const auto& l : request.local) {
    double n = 0, h = l.size;
    for (int e : l.entities) {
      auto i = static_cast<std::size_t>(e);
      if (l.dim == Dim::Face) n += 9 * part.faces[i].area / (h * h);
      if (l.dim == Dim::Body) n += 8.5 * part.bodies[i].volume / (h * h * h);
      if (l.dim == Dim::Edge) n += 20 * part.edges[i].length / h;
    }
    add(n, l.rule);
  }
  for (const auto& z : request.zones) { // a third of its box, and of that what the part's box leaves
    Box b = z.zone.box();
    Vec3 d = (b.hi.cwiseMin(part.box.hi) - b.lo.cwiseMax(part.box.lo)).cwiseMax(0);
    double filled = std::min(1.0, part.volume() / std::max(1e-300, part.box.size().prod()));
    add(8.5 * 0.33 * filled * d.prod() / (z.size * z.size * z.size), z.rule);
  }
  return {sum, rule};
}

} // namespace

std::optional<Problem> tooManyElements(const Brief& brief, const Part& part, const SizeRequest& request, double times) {
  const double target = overallTarget(brief, part);
  const Capacity most = elementsThatFit();
  const auto [least, rule] = leastElements(part, request, target);
  if (least <= times * most.elements) return {};
  Problem p;
  p.fault = Fault::Usage;
  p.code = "size.absurd";
  p.what = (rule < 0 ? "a size of " + formatNumber(target, 4) + " " + part.unit
                     : "the rule '" + sentenceOf(brief.rules[static_cast<std::size_t>(rule)]) + "'") +
           " would need about " + roughly(least) + " elements";
  p.where = part.sizeText();
  p.why = most.why;
  p.todo = "ask for a larger size, or check the unit of the part and of the size";
  return p;
}

} // namespace tess
