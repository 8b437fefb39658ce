# SPDX-License-Identifier: GPL-3.0-or-later
include(GNUInstallDirs)
install(TARGETS ztally RUNTIME DESTINATION ${CMAKE_INSTALL_BINDIR})
install(TARGETS ztally-helper RUNTIME DESTINATION ${CMAKE_INSTALL_LIBEXECDIR}/zip-tally)
configure_file(packaging/org.ziptally.helper.policy org.ziptally.helper.policy @ONLY)
install(FILES ${CMAKE_CURRENT_BINARY_DIR}/org.ziptally.helper.policy DESTINATION ${CMAKE_INSTALL_DATADIR}/polkit-1/actions)
# The manual and what shells complete come from the program's own option texts.
set(described ${CMAKE_CURRENT_BINARY_DIR}/described)
file(MAKE_DIRECTORY ${described})
add_custom_command(
  OUTPUT ${described}/ztally.1 ${described}/ztally.bash ${described}/_ztally ${described}/ztally.fish
  COMMAND ztally describe man ${CMAKE_CURRENT_SOURCE_DIR}/packaging/man/ztally.1.in > ${described}/ztally.1
  COMMAND ztally describe bash > ${described}/ztally.bash
  COMMAND ztally describe zsh > ${described}/_ztally
  COMMAND ztally describe fish > ${described}/ztally.fish
  DEPENDS ztally packaging/man/ztally.1.in VERBATIM)
add_custom_target(described ALL DEPENDS ${described}/ztally.1)
install(FILES ${described}/ztally.1 packaging/man/zip-tally.1 DESTINATION ${CMAKE_INSTALL_MANDIR}/man1)
install(FILES ${described}/ztally.bash DESTINATION ${CMAKE_INSTALL_DATADIR}/bash-completion/completions RENAME ztally)
install(FILES ${described}/_ztally DESTINATION ${CMAKE_INSTALL_DATADIR}/zsh/vendor-completions)
install(FILES ${described}/ztally.fish DESTINATION ${CMAKE_INSTALL_DATADIR}/fish/vendor_completions.d)
if(ZT_DESKTOP)
  install(TARGETS zip-tally RUNTIME DESTINATION ${CMAKE_INSTALL_BINDIR})
  install(TARGETS zip-tally-page RUNTIME DESTINATION ${CMAKE_INSTALL_LIBEXECDIR}/zip-tally)
  install(FILES packaging/org.ziptally.ZipTally.desktop DESTINATION ${CMAKE_INSTALL_DATADIR}/applications)
  install(FILES packaging/org.ziptally.ZipTally.metainfo.xml DESTINATION ${CMAKE_INSTALL_DATADIR}/metainfo)
  install(FILES packaging/org.ziptally.mime.xml DESTINATION ${CMAKE_INSTALL_DATADIR}/mime/packages)
  install(FILES src/desktop/style/icons/zip-tally.svg RENAME org.ziptally.ZipTally.svg
          DESTINATION ${CMAKE_INSTALL_DATADIR}/icons/hicolor/scalable/apps)
  install(FILES packaging/org.ziptally.ZipTally-symbolic.svg DESTINATION ${CMAKE_INSTALL_DATADIR}/icons/hicolor/symbolic/apps)
  # Drawn by our own page program, so that every size comes from the one drawing.
  foreach(size 16 22 24 32 48 64 128 256)
    set(icon ${described}/icons/${size}/org.ziptally.ZipTally.png)
    file(MAKE_DIRECTORY ${described}/icons/${size})
    add_custom_command(
      OUTPUT ${icon}
      COMMAND zip-tally-page --icon ${size} ${icon} < ${CMAKE_CURRENT_SOURCE_DIR}/src/desktop/style/icons/zip-tally.svg
      DEPENDS zip-tally-page src/desktop/style/icons/zip-tally.svg VERBATIM)
    list(APPEND icons ${icon})
    install(FILES ${icon} DESTINATION ${CMAKE_INSTALL_DATADIR}/icons/hicolor/${size}x${size}/apps)
  endforeach()
  add_custom_target(icons ALL DEPENDS ${icons})
endif()
