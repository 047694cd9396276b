// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/reference.h"
#include <CLI/CLI.hpp>
#include <sstream>

namespace tess {
namespace {

/// Hyphens, dots and backslashes as troff wants them.
std::string troff(const std::string& s) {
  std::string r;
  for (std::size_t i = 0; i < s.size(); ++i) {
    if (s[i] == '\\')
      r += "\\\\";
    else if (s[i] == '-')
      r += "\\-";
    else if ((s[i] == '.' || s[i] == '\'') && i == 0)
      r += std::string("\\&") + s[i];
    else
      r += s[i];
  }
  return r;
}

std::vector<const CLI::App*> shown(const CLI::App& app) {
  std::vector<const CLI::App*> r;
  for (const auto* s : app.get_subcommands([](const CLI::App*) { return true; }))
    if (!s->get_group().empty()) r.push_back(s);
  return r;
}

} // namespace

std::string manualPage(const CLI::App& app) {
  std::ostringstream o;
  o << ".TH TESSEL 1\n.SH NAME\ntessel \\- " << troff(app.get_description()) << "\n.SH SYNOPSIS\n";
  for (const auto* s : shown(app)) {
    o << ".B tessel " << troff(s->get_name()) << "\n";
    for (const auto* x : s->get_options())
      if (x->get_positional()) o << ".I " << troff(x->get_name()) << "\n";
    o << "[options]\n.br\n";
  }
  o << ".SH DESCRIPTION\nA brief is a text file that says which part is meshed, how fine and where, which groups it "
       "has "
       "and\nwhich files are handed over. A bare part is meshed with a default brief.\n.SH COMMANDS\n";
  for (const auto* s : shown(app)) {
    o << ".SS " << troff(s->get_name()) << "\n" << troff(s->get_description()) << "\n";
    for (const auto* x : s->get_options()) {
      if (x->get_name() == "--help" || x->get_description().empty()) continue;
      o << ".TP\n.B " << troff(x->get_name(true, true)) << "\n" << troff(x->get_description()) << "\n";
    }
  }
  o << ".SH EXIT STATUS\n.TP\n.B 0\nall went well\n.TP\n.B 1\nthe mesh is outside the limits\n.TP\n.B 2\nwrong usage\n"
       ".TP\n.B 3\nthe input is at fault\n.TP\n.B 4\nmeshing failed\n.SH SEE ALSO\n.BR tesselite (1)\n";
  return o.str();
}

std::string bashCompletion(const CLI::App& app) {
  std::ostringstream o;
  o << "# bash completion for tessel\n_tessel() {\n  local word=\"${COMP_WORDS[COMP_CWORD]}\" options=\"\"\n"
       "  if [ \"$COMP_CWORD\" -eq 1 ]; then\n    COMPREPLY=($(compgen -W \"";
  for (const auto* s : shown(app)) o << s->get_name() << " ";
  o << "\" -- \"$word\"))\n    return\n  fi\n  case \"${COMP_WORDS[1]}\" in\n";
  for (const auto* s : shown(app)) {
    o << "    " << s->get_name() << ") options=\"";
    for (const auto* x : s->get_options())
      for (const auto& l : x->get_lnames()) o << "--" << l << " ";
    o << "\" ;;\n";
  }
  o << "  esac\n  case \"$word\" in\n    -*) COMPREPLY=($(compgen -W \"$options\" -- \"$word\")) ;;\n"
       "    *) COMPREPLY=($(compgen -f -- \"$word\")) ;;\n  esac\n}\ncomplete -o filenames -F _tessel tessel\n";
  return o.str();
}

} // namespace tess
