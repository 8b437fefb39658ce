# SPDX-License-Identifier: GPL-3.0-or-later
include(GNUInstallDirs)
install(TARGETS ztally RUNTIME DESTINATION ${CMAKE_INSTALL_BINDIR})
install(FILES packaging/man/ztally.1 packaging/man/zip-tally.1 DESTINATION ${CMAKE_INSTALL_MANDIR}/man1)
if(ZT_DESKTOP)
  install(TARGETS zip-tally RUNTIME DESTINATION ${CMAKE_INSTALL_BINDIR})
  install(FILES packaging/zip-tally.desktop DESTINATION ${CMAKE_INSTALL_DATADIR}/applications)
  install(FILES src/desktop/style/icons/zip-tally.svg
          DESTINATION ${CMAKE_INSTALL_DATADIR}/icons/hicolor/scalable/apps)
endif()
