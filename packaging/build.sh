#!/bin/sh
# Makes what is released into dist/: the wheel, the Debian package, the list of parts (SBOM) and their licences.
# Called by `./run package`, which has set everything up: $1 is the Python of the development environment.
set -eu
cd "$(dirname "$0")/.."
python=$1
version=$("$python" -c 'import fidele; print(fidele.__version__)')
"$python" -c 'import sys; sys.exit(sys.version_info[:2] != (3, 11))' || {
    echo "package: Debian 12 has Python 3.11: build with that one, so that compiled libraries fit" >&2
    exit 1
}
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
mkdir -p dist
rm -f dist/fidele[-_]"$version"*

echo "The wheel"
rm -rf build  # what an earlier build left there would be packed again
"$python" -m pip wheel -qq --disable-pip-version-check --no-deps --no-build-isolation --wheel-dir "$work" .
wheel=$(echo "$work"/fidele-*.whl)
rm -rf build

echo "The program with its libraries"
tree=$work/fidele-$version/tree
mkdir -p "$tree"
"$python" -m pip install -qq --disable-pip-version-check --no-compile --require-hashes --target "$tree" \
    -r requirements.lock
"$python" -m pip install -qq --disable-pip-version-check --no-compile --no-deps --target "$tree" "$wheel"

echo "Parts and licences"
# Its own environment: what lists the parts is none of them.
[ -x .venv-release/bin/cyclonedx-py ] || {
    "$python" -m venv .venv-release
    .venv-release/bin/python -m pip install -qq --disable-pip-version-check --require-hashes \
        -r requirements-release.lock
}
# Both ask an interpreter that sees the tree and nothing else.
"$python" -m venv --without-pip "$work/parts"
site=$("$work/parts/bin/python" -c 'import site; print(site.getsitepackages()[0])')
echo "$tree" > "$site/tree.pth"
.venv-release/bin/cyclonedx-py environment --output-reproducible --of JSON \
    -o "dist/fidele-$version.cdx.json" "$work/parts/bin/python" 2>/dev/null
"$python" packaging/licences.py "dist/fidele-$version.cdx.json" "$tree" > "dist/fidele-$version-licences.txt"

echo "Man page and completion"
"$python" packaging/manpage.py > "$work/fidele-$version/fidele.1"
for shell in bash zsh fish; do
    _FIDELE_COMPLETE=${shell}_source "$(dirname "$python")/fidele" > "$work/fidele-$version/fidele.$shell"
done

echo "The Debian package"
sh packaging/prune.sh "$tree"
cp -r packaging/debian "$work/fidele-$version/debian"
cp packaging/fidele packaging/fidele.desktop packaging/*.metainfo.xml CHANGELOG.md "$work/fidele-$version/"
cp src/fidele/data/desktop/fidele.svg src/fidele/data/desktop/fidele.xml "$work/fidele-$version/"
sed "s/@VERSION@/$version/" packaging/debian/changelog > "$work/fidele-$version/debian/changelog"
(cd "$work/fidele-$version" && dpkg-buildpackage --build=binary --no-sign --no-check-builddeps >"$work/log" 2>&1) || {
    tail -30 "$work/log" >&2
    exit 1
}
mv "$wheel" "$work"/fidele_"$version"*.deb dist/
ls -sh dist/fidele[-_]"$version"*
