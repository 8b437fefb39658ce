# SPDX-License-Identifier: GPL-3.0-or-later
# Own code is built with these; headers of libraries are system headers and exempt.
# g++ 12 reports std::string assignments wrongly (its bug 105329), under three names.
add_library(zt_warnings INTERFACE)
target_compile_options(zt_warnings INTERFACE -Wall -Wextra -Wshadow -Wconversion -Wsign-conversion
                                             -Wnon-virtual-dtor -Woverloaded-virtual -Werror $<$<CXX_COMPILER_ID:GNU>:-Wno-restrict>
                                             $<$<CXX_COMPILER_ID:GNU>:-Wno-array-bounds> $<$<CXX_COMPILER_ID:GNU>:-Wno-stringop-overflow>)
