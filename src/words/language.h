// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "words/figures.h"

namespace zt {

/// Finds the catalogues of texts (gettext(3), domain "zip-tally": `share/locale` of the installed program, or
/// `locale` of its build, or what ZTALLY_LOCALE names) and takes the language from the environment (LC_ALL,
/// LC_MESSAGES, LANG; LANGUAGE). Before any other thread is started.
void beginTheirLanguage();

/// A text in their language; with `many`, that of `count` things by their language's rules. What has no
/// translation is as it is. Any thread.
std::string inTheirLanguage(const char* text, const char* many, std::uint64_t count);

/// How figures are written where they are (LC_NUMERIC). Any thread.
NumberStyle numbersOfTheirs();

/// Whether their language is written from right to left, as its catalogue says (the text "left to right").
bool writtenFromTheRight();

}  // namespace zt
