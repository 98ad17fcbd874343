# Where things go, and the Debian package.
include(GNUInstallDirs)
install(TARGETS flentro-cli flentro-demo RUNTIME DESTINATION ${CMAKE_INSTALL_BINDIR})
install(TARGETS flentro-import RUNTIME DESTINATION lib/flentro)
if(FLENTRO_APP)
    install(TARGETS flentro RUNTIME DESTINATION ${CMAKE_INSTALL_BINDIR})
    install(FILES data/flentro.desktop DESTINATION ${CMAKE_INSTALL_DATADIR}/applications)
    install(FILES data/icons/flentro.svg
            DESTINATION ${CMAKE_INSTALL_DATADIR}/icons/hicolor/scalable/apps)
    install(FILES data/flentro-mime.xml DESTINATION ${CMAKE_INSTALL_DATADIR}/mime/packages
            RENAME flentro.xml)
endif()
install(DIRECTORY data/targets DESTINATION ${CMAKE_INSTALL_DATADIR}/flentro)
install(DIRECTORY docs/formats DESTINATION ${CMAKE_INSTALL_DATADIR}/flentro
        FILES_MATCHING PATTERN "*.json")
install(FILES README.md LICENSE DESTINATION ${CMAKE_INSTALL_DOCDIR})

set(CPACK_GENERATOR DEB)
set(CPACK_PACKAGE_NAME flentro)
set(CPACK_PACKAGE_CONTACT "The Flentro developers")
set(CPACK_DEBIAN_FILE_NAME DEB-DEFAULT)
set(CPACK_DEBIAN_PACKAGE_SECTION graphics)
set(CPACK_DEBIAN_PACKAGE_SHLIBDEPS ON)
set(CPACK_DEBIAN_PACKAGE_RECOMMENDS "fonts-inter, fonts-jetbrains-mono")
include(CPack)
