// SPDX-License-Identifier: GPL-3.0-or-later
#include "words/language.h"

#include <langinfo.h>
#include <libintl.h>

#include <clocale>
#include <cstdlib>
#include <memory>

#include "core/os/paths.h"

namespace zt {

namespace {
constexpr const char* domain = "zip-tally";
/// What a catalogue translates to "right to left" where that is how its language is written.
constexpr const char* direction = "left to right";
}  // namespace

void beginTheirLanguage() {
  std::setlocale(LC_MESSAGES, "");
  const auto self = openedProgram();
  const PathBytes above = self ? PathBytes(parentPath(parentPath(parentPath(*self)))) : PathBytes();
  const PathBytes built = above.empty() ? PathBytes() : joinPath(above, "locale");
  const char* given = std::getenv("ZTALLY_LOCALE");
  if (given != nullptr && *given != '\0')
    bindtextdomain(domain, given);
  else
    bindtextdomain(domain, !built.empty() && exists(built) ? built.c_str() : ZT_LOCALE_PATH);
  bind_textdomain_codeset(domain, "UTF-8");
}

std::string inTheirLanguage(const char* text, const char* many, std::uint64_t count) {
  if (*text == '\0') return {};  // its translation is the catalogue's own header
  return many == nullptr ? dgettext(domain, text) : dngettext(domain, text, many, count);
}

NumberStyle numbersOfTheirs() {
  NumberStyle style;
  const std::unique_ptr<std::remove_pointer_t<locale_t>, void (*)(locale_t)> there(
      ::newlocale(LC_NUMERIC_MASK | LC_CTYPE_MASK, "", nullptr), [](locale_t l) {
        if (l != nullptr) ::freelocale(l);
      });
  if (!there) return style;
  const std::string point = ::nl_langinfo_l(RADIXCHAR, there.get());
  const std::string group = ::nl_langinfo_l(THOUSEP, there.get());
  if (!point.empty() && point != style.point) style.point = point, style.group = group;
  return style;
}

bool writtenFromTheRight() {
  return inTheirLanguage(direction, nullptr, 0) == "right to left";
}

}  // namespace zt
