// SPDX-License-Identifier: GPL-3.0-or-later
// write_bars FOLDER [TIMES [NAME]]: the bars of support/boxes.h (that many times finer; one of them) in every format
// that holds them, for checks from outside.
#include "exchange/exchange.h"
#include "support/boxes.h"
#include <iostream>

using namespace tess;
using namespace tess::test;

int main(int argc, char** argv) {
  if (argc < 2) return 2;
  BarSize size;
  if (argc > 2)
    for (auto& n : size.cells) n *= std::max(1, std::atoi(argv[2]));
  for (auto filling : fillings())
    for (int order : {1, 2}) {
      if (order == 2 && !hasOrder2(filling)) continue;
      const std::string name = fillingName(filling) + "-" + std::to_string(order);
      if (argc > 3 && name != argv[3]) continue;
      const Mesh m = bar(filling, order, size);
      for (const auto& f : meshFormats()) {
        const std::string path = std::string(argv[1]) + "/" + name + (f.extensions.empty() ? "" : f.extensions[0]);
        if (auto p = writeMesh(m, f.format, path, conventionalScale(f.format, m.unit)))
          std::cout << p->sentence() << "\n";
      }
    }
}
