# Where things go, and the Debian package.
include(GNUInstallDirs)
install(TARGETS flentro-cli flentro-demo RUNTIME DESTINATION ${CMAKE_INSTALL_BINDIR})
install(TARGETS flentro-import RUNTIME DESTINATION lib/flentro)

# Manual pages, packed as Debian's policy asks: at the best level, without time or name.
set(man_pages flentro-cli flentro-demo)
if(FLENTRO_APP)
    list(APPEND man_pages flentro)
endif()
foreach(page IN LISTS man_pages)
    set(packed ${CMAKE_CURRENT_BINARY_DIR}/man/${page}.1.gz)
    add_custom_command(
        OUTPUT ${packed}
        COMMAND ${CMAKE_COMMAND} -E make_directory ${CMAKE_CURRENT_BINARY_DIR}/man
        COMMAND gzip -9nc ${CMAKE_SOURCE_DIR}/data/man/${page}.1 > ${packed}
        DEPENDS ${CMAKE_SOURCE_DIR}/data/man/${page}.1)
    list(APPEND packed_pages ${packed})
endforeach()
set(changelog ${CMAKE_CURRENT_BINARY_DIR}/man/changelog.gz)
add_custom_command(OUTPUT ${changelog}
                   COMMAND gzip -9nc ${CMAKE_SOURCE_DIR}/data/changelog > ${changelog}
                   DEPENDS ${CMAKE_SOURCE_DIR}/data/changelog)
add_custom_target(flentro_man ALL DEPENDS ${packed_pages} ${changelog})
install(FILES ${packed_pages} DESTINATION ${CMAKE_INSTALL_MANDIR}/man1)
install(FILES ${changelog} DESTINATION ${CMAKE_INSTALL_DOCDIR})

if(FLENTRO_APP)
    install(TARGETS flentro RUNTIME DESTINATION ${CMAKE_INSTALL_BINDIR})
    install(FILES data/flentro.desktop DESTINATION ${CMAKE_INSTALL_DATADIR}/applications)
    install(FILES data/flentro.metainfo.xml DESTINATION ${CMAKE_INSTALL_DATADIR}/metainfo)
    install(FILES data/icons/flentro.svg
            DESTINATION ${CMAKE_INSTALL_DATADIR}/icons/hicolor/scalable/apps)
    foreach(size 16 24 32 48 64 128 256)
        install(FILES data/icons/${size}/flentro.png
                DESTINATION ${CMAKE_INSTALL_DATADIR}/icons/hicolor/${size}x${size}/apps)
    endforeach()
    install(FILES data/flentro-mime.xml DESTINATION ${CMAKE_INSTALL_DATADIR}/mime/packages
            RENAME flentro.xml)
endif()
install(FILES data/completions/flentro-cli
        DESTINATION ${CMAKE_INSTALL_DATADIR}/bash-completion/completions)
install(DIRECTORY data/targets DESTINATION ${CMAKE_INSTALL_DATADIR}/flentro)
install(DIRECTORY docs/formats DESTINATION ${CMAKE_INSTALL_DATADIR}/flentro
        FILES_MATCHING PATTERN "*.json")
install(FILES README.md docs/guide.md DESTINATION ${CMAKE_INSTALL_DOCDIR})
install(FILES data/copyright DESTINATION ${CMAKE_INSTALL_DOCDIR})

set(CPACK_GENERATOR DEB)
set(CPACK_PACKAGE_NAME flentro)
set(CPACK_PACKAGE_DESCRIPTION_SUMMARY "content optimisation for real-time 3D scenes")
set(CPACK_PACKAGE_DESCRIPTION
"Audits the content of a heavy 3D scene against a platform's budgets (triangles,
draw calls, textures, lights, visible objects), finds what is to blame and
where, then generates levels of detail, culling distances, merged geometry and
smaller textures that bring every view a player can reach within the frame
budget, and proves it. Reads and writes glTF 2.0.")
set(CPACK_PACKAGE_CONTACT "The Flentro developers <developers@flentro.invalid>")
set(CPACK_PACKAGING_INSTALL_PREFIX /usr)
set(CPACK_STRIP_FILES ON)
set(CPACK_DEBIAN_FILE_NAME DEB-DEFAULT)
set(CPACK_DEBIAN_PACKAGE_SECTION graphics)
set(CPACK_DEBIAN_PACKAGE_SHLIBDEPS ON)
set(CPACK_DEBIAN_PACKAGE_CONTROL_STRICT_PERMISSION ON)
set(CPACK_DEBIAN_PACKAGE_RECOMMENDS "fonts-inter, fonts-jetbrains-mono")
include(CPack)
