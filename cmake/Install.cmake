# SPDX-License-Identifier: GPL-3.0-or-later
include(GNUInstallDirs)
install(TARGETS ztally RUNTIME DESTINATION ${CMAKE_INSTALL_BINDIR})
install(TARGETS ztally-helper RUNTIME DESTINATION ${CMAKE_INSTALL_LIBEXECDIR}/zip-tally)
configure_file(packaging/org.ziptally.helper.policy org.ziptally.helper.policy @ONLY)
install(FILES ${CMAKE_CURRENT_BINARY_DIR}/org.ziptally.helper.policy DESTINATION ${CMAKE_INSTALL_DATADIR}/polkit-1/actions)
install(FILES packaging/man/ztally.1 packaging/man/zip-tally.1 DESTINATION ${CMAKE_INSTALL_MANDIR}/man1)
if(ZT_DESKTOP)
  install(TARGETS zip-tally RUNTIME DESTINATION ${CMAKE_INSTALL_BINDIR})
  install(FILES packaging/zip-tally.desktop DESTINATION ${CMAKE_INSTALL_DATADIR}/applications)
  install(FILES src/desktop/style/icons/zip-tally.svg
          DESTINATION ${CMAKE_INSTALL_DATADIR}/icons/hicolor/scalable/apps)
endif()
