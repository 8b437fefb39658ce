// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/describing.h"

#include <CLI/CLI.hpp>
#include <functional>

namespace zt::cli {

namespace {

struct Described {
  std::string verb;  ///< "plan add"
  const CLI::App* app;
};

/// All verbs that are shown, sub-verbs behind their verb.
std::vector<Described> verbsOf(const CLI::App& app) {
  std::vector<Described> all;
  const std::function<void(const CLI::App&, const std::string&)> walk = [&](const CLI::App& at,
                                                                            const std::string& before) {
    for (const CLI::App* sub :
         at.get_subcommands([](const CLI::App* a) { return !a->get_group().empty(); })) {
      all.push_back({before + sub->get_name(), sub});
      walk(*sub, all.back().verb + " ");
    }
  };
  walk(app, "");
  return all;
}

std::vector<const CLI::Option*> optionsOf(const CLI::App& app) {
  return app.get_options([](const CLI::Option* o) { return !o->get_group().empty(); });
}

std::string longName(const CLI::Option& o) {
  if (!o.get_lnames().empty()) return "--" + o.get_lnames().front();
  return o.get_snames().empty() ? std::string() : "-" + o.get_snames().front();
}

bool takesValue(const CLI::Option& o) {
  return o.get_items_expected_max() > 0;
}

std::string quotedFor(const std::string& text, const std::string& letters) {
  std::string out;
  for (const char c : text) {
    if (letters.find(c) != std::string::npos) out += '\\';
    out += c == '\n' ? ' ' : c;
  }
  return out;
}

std::string roff(const std::string& text) {
  std::string out;
  for (const char c : text) {
    if (c == '\\')
      out += "\\e";
    else if (c == '-')
      out += "\\-";
    else if (c == '\'' || (c == '.' && out.empty()))
      out += std::string("\\&") + c;
    else
      out += c == '\n' ? ' ' : c;
  }
  return out;
}

/// The first word of a verb, and the verbs that begin with it and go on.
std::string subVerbs(const std::vector<Described>& all, const std::string& verb) {
  std::string words;
  for (const Described& d : all)
    if (d.verb.starts_with(verb + " ")) words += d.verb.substr(verb.size() + 1) + " ";
  return words;
}

std::string optionWords(const CLI::App& app) {
  std::string words;
  for (const CLI::Option* o : optionsOf(app))
    if (const std::string name = longName(*o); !name.empty()) words += name + " ";
  return words;
}

}  // namespace

std::string bashCompletion(const CLI::App& app) {
  const auto all = verbsOf(app);
  std::string verbs;
  for (const Described& d : all)
    if (d.verb.find(' ') == std::string::npos) verbs += d.verb + " ";
  std::string out =
      "# bash completion for ztally\n_ztally() {\n  local cur=${COMP_WORDS[COMP_CWORD]} "
      "verb=${COMP_WORDS[1]} words\n"
      "  COMPREPLY=()\n  if [ \"$COMP_CWORD\" -eq 1 ]; then\n    COMPREPLY=($(compgen -W \"" +
      verbs + "--help --version\" -- \"$cur\"))\n    return\n  fi\n  case \"$verb\" in\n";
  for (const Described& d : all) {
    if (d.verb.find(' ') != std::string::npos) continue;
    std::string words = subVerbs(all, d.verb) + optionWords(*d.app);
    for (const Described& sub : all)
      if (sub.verb.starts_with(d.verb + " ")) words += optionWords(*sub.app);
    out += "    " + d.verb + ") words=\"" + words + "\" ;;\n";
  }
  return out +
         "    *) return ;;\n  esac\n  COMPREPLY=($(compgen -W \"$words\" -- \"$cur\"))\n}\n"
         "complete -o default -F _ztally ztally\n";
}

std::string zshCompletion(const CLI::App& app) {
  const auto all = verbsOf(app);
  std::string out = "#compdef ztally\nlocal -a verbs\nverbs=(\n";
  for (const Described& d : all)
    if (d.verb.find(' ') == std::string::npos)
      out += "  '" + d.verb + ":" + quotedFor(d.app->get_description(), ":") + "'\n";
  out += ")\nif (( CURRENT == 2 )); then\n  _describe verb verbs\n  return\nfi\ncase $words[2] in\n";
  for (const Described& d : all) {
    if (d.verb.find(' ') != std::string::npos) continue;
    out += "  " + d.verb + ") _arguments '*:file:_files'";
    for (const CLI::Option* o : optionsOf(*d.app))
      if (const std::string name = longName(*o); !name.empty()) {
        std::string text;
        for (const char c : quotedFor(o->get_description(), "[]:"))
          text += c == '\'' ? "'\\''" : std::string(1, c);
        out += " '" + name + "[" + text + "]" + (takesValue(*o) ? ":value:_files" : "") + "'";
      }
    out += " ;;\n";
  }
  return out + "esac\n";
}

std::string fishCompletion(const CLI::App& app) {
  std::string out = "# fish completion for ztally\n";
  for (const Described& d : verbsOf(app)) {
    if (d.verb.find(' ') != std::string::npos) continue;
    out += "complete -c ztally -n __fish_use_subcommand -a " + d.verb + " -d '" +
           quotedFor(d.app->get_description(), "'\\") + "'\n";
    for (const CLI::Option* o : optionsOf(*d.app))
      if (!o->get_lnames().empty())
        out += "complete -c ztally -n '__fish_seen_subcommand_from " + d.verb + "' -l " +
               o->get_lnames().front() + (takesValue(*o) ? " -r" : "") + " -d '" +
               quotedFor(o->get_description(), "'\\") + "'\n";
  }
  return out;
}

std::string manualPage(const CLI::App& app, const std::string& page) {
  std::string verbs;
  for (const Described& d : verbsOf(app)) {
    verbs += ".SS " + roff(d.verb);
    for (const CLI::Option* o : optionsOf(*d.app))
      if (o->get_positional()) verbs += " " + roff(o->get_name(true, false));
    verbs += "\n" + roff(d.app->get_description()) + "\n";
    for (const CLI::Option* o : optionsOf(*d.app)) {
      const std::string name = longName(*o);
      if (name == "--help" || o->get_description().empty()) continue;
      verbs += ".TP\n\\fB" + roff(name.empty() ? o->get_name(true, false) : name) + "\\fR";
      if (!name.empty() && takesValue(*o)) verbs += " \\fIvalue\\fR";
      verbs += "\n" + roff(o->get_description()) + "\n";
    }
  }
  const std::string mark = "@VERBS@\n";
  const auto at = page.find(mark);
  return at == std::string::npos ? page : page.substr(0, at) + verbs + page.substr(at + mark.size());
}

}  // namespace zt::cli
