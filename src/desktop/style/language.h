// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QString>
#include <cstdint>
#include <initializer_list>

class QApplication;

namespace zt::desktop {

/// Has the texts of the window, and those that Qt brings along, said in their language, and laid out in its
/// direction. After `beginTheirLanguage`. GUI thread.
void speakTheirLanguage(QApplication& app);

/// A text for so many things, by their language's rules: %1 is the count, what follows comes after it.
QString counted(std::uint64_t count, const char* one, const char* many,
                std::initializer_list<QString> values = {});

}  // namespace zt::desktop
