# SPDX-License-Identifier: GPL-3.0-or-later
# zt_embed_text(target symbol file): compiles a text file into `target` as `const char* const symbol` in namespace zt::embedded.
function(zt_embed_text target symbol file)
  set(out "${CMAKE_CURRENT_BINARY_DIR}/embedded_${symbol}.cpp")
  file(READ "${file}" text)
  file(CONFIGURE OUTPUT "${out}" CONTENT
       "namespace zt::embedded {\nextern const char* const ${symbol};\nconst char* const ${symbol} = R\"zt_text(@text@)zt_text\";\n}\n"
       @ONLY)
  set_property(DIRECTORY APPEND PROPERTY CMAKE_CONFIGURE_DEPENDS "${file}")
  target_sources(${target} PRIVATE "${out}")
endfunction()

# zt_embed_catalogue(target folder): compiles every FOLDER/*/*.toml into `target`, as names and texts in namespace zt::embedded.
# The catalogue is embedded so that bedrock can never be missing because a data file was not installed.
function(zt_embed_catalogue target folder)
  file(GLOB files RELATIVE "${folder}" CONFIGURE_DEPENDS "${folder}/*/*.toml")
  list(SORT files)
  set(rows "")
  foreach(name IN LISTS files)
    file(READ "${folder}/${name}" text)
    string(APPEND rows "{\"${name}\", R\"zt_text(${text})zt_text\"},\n")
    set_property(DIRECTORY APPEND PROPERTY CMAKE_CONFIGURE_DEPENDS "${folder}/${name}")
  endforeach()
  list(LENGTH files count)
  set(out "${CMAKE_CURRENT_BINARY_DIR}/embedded_catalogue.cpp")
  file(CONFIGURE OUTPUT "${out}" CONTENT
       "#include <cstddef>\n#include <utility>\nnamespace zt::embedded {\nextern const std::pair<const char*, const char*> catalogueFiles[];\nextern const std::size_t catalogueFileCount;\nconst std::pair<const char*, const char*> catalogueFiles[] = {\n@rows@};\nconst std::size_t catalogueFileCount = @count@;\n}\n"
       @ONLY)
  target_sources(${target} PRIVATE "${out}")
endfunction()
