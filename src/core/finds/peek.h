// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/survey/survey.h"

namespace zt {

/// What is in a file, as far as a look at its beginning tells.
struct Peek {
  enum class Form : std::uint8_t { text, bytes, picture };
  Form form = Form::bytes;
  Bytes length = 0;    ///< of the whole file
  std::string head;    ///< its first bytes; of a picture all of it, if it is not too long
  bool whole = false;  ///< `head` is all there is
};

/// Looks into a file without setting its access time. `picture`: its name says it is one, so all of it is
/// read (at most 32 MB). Fails with notPermitted where the access time would change, notThere, notAFile,
/// changed if it is no longer what was measured. Any thread.
Result<Peek> peek(FileSystemReader& files, const Folder& root, const Survey& survey, NodeId file,
                  bool picture);

/// Bytes as a table: place, sixteen bytes in hexadecimal, and what of them can be shown.
std::string hexTable(std::string_view bytes);

}  // namespace zt
