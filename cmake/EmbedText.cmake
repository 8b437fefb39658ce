# SPDX-License-Identifier: GPL-3.0-or-later
# zt_embed_text(target symbol file): compiles a text file into `target` as `const char* const symbol` in namespace zt::embedded.
# The catalogue is embedded so that bedrock can never be missing because a data file was not installed.
function(zt_embed_text target symbol file)
  set(out "${CMAKE_CURRENT_BINARY_DIR}/embedded_${symbol}.cpp")
  file(READ "${file}" text)
  file(CONFIGURE OUTPUT "${out}" CONTENT
       "namespace zt::embedded {\nextern const char* const ${symbol};\nconst char* const ${symbol} = R\"zt_text(@text@)zt_text\";\n}\n"
       @ONLY)
  set_property(DIRECTORY APPEND PROPERTY CMAKE_CONFIGURE_DEPENDS "${file}")
  target_sources(${target} PRIVATE "${out}")
endfunction()
