# SPDX-License-Identifier: GPL-3.0-or-later
# zt_precompile(target [qt]): the heavy headers that most files of a target include are read once. It changes nothing but the time a
# build takes: every file still includes what it uses.
option(ZT_PRECOMPILE "Precompile the heavy headers" ON)
function(zt_precompile target)
  if(NOT ZT_PRECOMPILE)
    return()
  endif()
  set(headers <algorithm> <array> <chrono> <functional> <map> <memory> <mutex> <optional> <string> <thread> <variant> <vector>
              <nlohmann/json.hpp> <tl/expected.hpp> <absl/container/flat_hash_map.h>)
  if("qt" IN_LIST ARGN)
    list(APPEND headers <QtWidgets>)
  endif()
  if("gtest" IN_LIST ARGN)
    list(APPEND headers <gtest/gtest.h>)
  endif()
  # Lets ccache know which precompiled header was taken.
  target_compile_options(${target} PRIVATE $<$<CXX_COMPILER_ID:GNU>:-fpch-preprocess>)
  target_precompile_headers(${target} PRIVATE ${headers})
endfunction()
