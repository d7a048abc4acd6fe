#!/bin/sh
# Installs the wheel and its locked libraries under every Python that is meant (3.11 to 3.13), away from the repository,
# and uses it: sources compiled with warnings as errors, versions said, a profile made on the bench, the window opened.
# Where an interpreter is not here, the lock is resolved for it at least. Usage: packaging/pythons.sh WHEEL
set -eu
wheel=$(realpath "$1")
here=$(realpath "$(dirname "$0")/..")
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
cd "$work"
export HOME="$work" QT_QPA_PLATFORM=offscreen XDG_RUNTIME_DIR="$work"
failed=0
for version in 3.11 3.12 3.13; do
    python=$(command -v "python$version" || true)
    if [ -z "$python" ] || ! "$python" -c 'import venv, ensurepip' 2>/dev/null; then
        python3 -m pip install -qq --disable-pip-version-check --dry-run --ignore-installed --only-binary=:all: \
            --require-hashes --no-deps --python-version "$version" --target "$work/none" -r "$here/requirements.lock" &&
            echo "Python $version: not here; every library of the lock is to be had for it" ||
            { echo "Python $version: the lock cannot be had for it"; failed=1; }
        continue
    fi
    rm -rf "$work/venv" "$work/demo"
    "$python" -m venv "$work/venv"
    if "$work/venv/bin/pip" install -qq --disable-pip-version-check --require-hashes -r "$here/requirements.lock" &&
        "$work/venv/bin/pip" install -qq --disable-pip-version-check --no-deps "$wheel" &&
        "$work/venv/bin/python" -W error -m compileall -qf "$work"/venv/lib/python*/site-packages/fidele &&
        "$work/venv/bin/fidele" --version &&
        "$work/venv/bin/fidele" demo --pictures "$work/demo" >/dev/null &&
        [ -s "$work/demo/proof.png" ]; then
        echo "Python $version: installed, and the demo's views drawn"
    else
        echo "Python $version: failed"
        failed=1
    fi
done
exit $failed
