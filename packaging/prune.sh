#!/bin/sh
# Takes out of a tree of libraries what the program never loads: other interfaces' parts, tools, tests, headers.
set -eu
cd "$1"
rm -rf bin include share reportlab/fonts
(cd PySide6 && find Qt/translations -type f ! -name qtbase_de.qm ! -name qtbase_es.qm -delete &&
    rm -rf Qt/qml Qt/metatypes include typesystems glue scripts support doc \
    designer linguist lupdate lrelease qmlformat qmllint qmlls rcc uic balsam* svgtoqml qmlimportscanner qmltyperegistrar \
    qmlcachegen qsb assistant Assistant* Designer* Linguist* ./*.pyi libpyside6qml* 2>/dev/null || true)
for part in Qml Quick QuickWidgets QuickControls2 QuickTest Designer Help Sql Test UiTools Concurrent OpenGL \
    OpenGLWidgets QmlCompiler; do
    rm -f "PySide6/Qt$part.abi3.so"
done
(cd PySide6/Qt/lib && rm -f libQt6Qml* libQt6Quick* libQt6Designer* libQt6Help* libQt6Sql* libQt6Test* libQt6UiTools* \
    libQt6Lab* libQt6Concurrent* libQt6ShaderTools* libQt6Eglfs*)
(cd PySide6/Qt/plugins && rm -rf sqldrivers qmltooling qmllint designer scenegraph tls egldeviceintegrations assetimporters \
    networkinformation && rm -f platforms/libqeglfs* platforms/libqlinuxfb* platforms/libqvkkhrdisplay* platforms/libqvnc* \
    platforms/libqminimal*)
find . -depth -type d \( -name tests -o -name test -o -name __pycache__ \) -not -path './fidele/*' \
    -not -path './numba/*' -exec rm -rf {} +
find . -type f \( -name '*.pyi' -o -name '*.pxd' -o -name '*.pyx' -o -name '*.h' -o -name '*.hpp' -o -name '*.c' \
    -o -name '*.cpp' -o -name '*.a' \) -not -path './fidele/*' -delete
find . -type f -name '*.so*' -exec chmod 644 {} +
