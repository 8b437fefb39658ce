# SPDX-License-Identifier: GPL-3.0-or-later
# zt_precompile(target [qt|gtest]): the heavy headers that most files of a target include are read once for all targets of one
# set. It changes nothing but the time a build takes: every file still includes what it uses.
option(ZT_PRECOMPILE "Precompile the heavy headers" ON)
set(ZT_HEAVY_HEADERS <algorithm> <array> <chrono> <functional> <map> <memory> <mutex> <optional> <string> <thread> <variant> <vector>
                     <nlohmann/json.hpp> <tl/expected.hpp> <absl/container/flat_hash_map.h>)

# zt_unoptimised(target): for tests, which are compiled more often than they take to run. A precompiled header fits only what is
# compiled like it.
function(zt_unoptimised target)
  target_compile_options(${target} PRIVATE $<$<CONFIG:Release>:-O0>)
endfunction()

# The library of a set, which has nothing but its precompiled header.
function(zt_headers_of set out)
  set(name zt_headers${set})
  set(${out} ${name} PARENT_SCOPE)
  if(TARGET ${name})
    return()
  endif()
  set(empty ${PROJECT_BINARY_DIR}/${name}.cpp)
  file(CONFIGURE OUTPUT ${empty} CONTENT "// Nothing but its precompiled header.\n")
  add_library(${name} STATIC ${empty})
  set_target_properties(${name} PROPERTIES UNITY_BUILD OFF AUTOMOC OFF AUTORCC OFF)
  set(headers ${ZT_HEAVY_HEADERS})
  if(set STREQUAL "_qt")
    find_package(Qt6 6.4 REQUIRED COMPONENTS Widgets)
    target_link_libraries(${name} PRIVATE Qt6::Widgets)
    target_compile_definitions(${name} PRIVATE QT_NO_CAST_TO_ASCII QT_NO_KEYWORDS)
    list(APPEND headers <QtWidgets>)
  elseif(set STREQUAL "_gtest")
    target_link_libraries(${name} PRIVATE GTest::gtest)
    zt_unoptimised(${name})
    list(APPEND headers <gtest/gtest.h>)
  endif()
  target_link_libraries(${name} PRIVATE tl::expected nlohmann_json::nlohmann_json absl::flat_hash_map Threads::Threads zt_warnings)
  target_compile_options(${name} PRIVATE $<$<CXX_COMPILER_ID:GNU>:-fpch-preprocess>)
  target_precompile_headers(${name} PRIVATE ${headers})
endfunction()

function(zt_precompile target)
  if("qt" IN_LIST ARGN)
    target_compile_definitions(${target} PRIVATE QT_NO_CAST_TO_ASCII QT_NO_KEYWORDS)
  endif()
  if(NOT ZT_PRECOMPILE)
    return()
  endif()
  set(set "")
  if(ARGN)
    set(set _${ARGN})
  endif()
  zt_headers_of("${set}" headers)
  # Lets ccache know which precompiled header was taken.
  # A program's own code must be compiled like a library's, or the header does not fit it.
  target_compile_options(${target} PRIVATE $<$<CXX_COMPILER_ID:GNU>:-fpch-preprocess -fPIC>)
  target_precompile_headers(${target} REUSE_FROM ${headers})
endfunction()

# zt_quick(target): what does not count anything is compiled quickly; one waits longer for the compiler than for it.
function(zt_quick target)
  target_compile_options(${target} PRIVATE $<$<CONFIG:Release>:-O1>)
endfunction()
