# SPDX-License-Identifier: GPL-3.0-or-later
# One Debian package, made by `./run package`. Two packages of one commit are equal: the time of everything in it is that
# of the commit (SOURCE_DATE_EPOCH).
set(CPACK_GENERATOR DEB)
set(CPACK_PACKAGE_NAME zip-tally)
set(CPACK_PACKAGE_VERSION ${PROJECT_VERSION})
set(CPACK_PACKAGE_CONTACT "The Zip Tally authors <zip-tally@localhost.invalid>")
set(CPACK_PACKAGE_DESCRIPTION_SUMMARY "reclaim a nearly full drive, safely and proved")
set(CPACK_DEBIAN_PACKAGE_DESCRIPTION
    "Measures where the space of a drive goes, judges what may go, plans it against
free-space targets, carries it out safely, and proves it by measuring again.
Brings the window (zip-tally), the command line (ztally), and rules that run
by themselves.")
set(CPACK_DEBIAN_FILE_NAME DEB-DEFAULT)
set(CPACK_DEBIAN_PACKAGE_SECTION admin)
set(CPACK_DEBIAN_PACKAGE_SHLIBDEPS ON)
set(CPACK_DEBIAN_PACKAGE_RECOMMENDS "pkexec, polkitd, shared-mime-info, fonts-lato")
set(CPACK_DEBIAN_PACKAGE_SUGGESTS "btrfs-progs")
set(CPACK_STRIP_FILES ON)
set(CPACK_PACKAGING_INSTALL_PREFIX /usr)
set(CPACK_INSTALL_DEFAULT_DIRECTORY_PERMISSIONS OWNER_READ OWNER_WRITE OWNER_EXECUTE GROUP_READ GROUP_EXECUTE WORLD_READ WORLD_EXECUTE)
set(CPACK_PRE_BUILD_SCRIPTS ${CMAKE_CURRENT_LIST_DIR}/PackageTimes.cmake)
install(FILES packaging/debian/copyright DESTINATION ${CMAKE_INSTALL_DATADIR}/doc/zip-tally)
install(FILES packaging/debian/lintian-overrides RENAME zip-tally DESTINATION ${CMAKE_INSTALL_DATADIR}/lintian/overrides)
find_program(GZIP gzip REQUIRED)
foreach(pair "packaging/debian/changelog:changelog.Debian" "CHANGELOG.md:changelog")
  string(REPLACE ":" ";" pair ${pair})
  list(GET pair 0 from)
  list(GET pair 1 to)
  set(packed ${CMAKE_CURRENT_BINARY_DIR}/described/${to}.gz)
  add_custom_command(OUTPUT ${packed} COMMAND ${GZIP} -9nc ${CMAKE_CURRENT_SOURCE_DIR}/${from} > ${packed} DEPENDS ${from} VERBATIM)
  list(APPEND documents ${packed})
endforeach()
add_custom_target(documents ALL DEPENDS ${documents})
install(FILES ${documents} DESTINATION ${CMAKE_INSTALL_DATADIR}/doc/zip-tally)
include(CPack)
