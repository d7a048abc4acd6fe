#!/bin/sh
# Installs the package into a fresh Debian, starts the window there, looks at it, and takes the package away again.
# As root: packaging/check.sh dist/fidele_1.0.0_amd64.deb [PICTURE]
set -eu
package=$1 picture=${2:-dist/installed.png}
tree=$(mktemp -d)
trap 'rm -rf "$tree"' EXIT
echo "What policy says of it"
lintian --allow-root --fail-on error,warning "$package"
echo "A fresh Debian 12"
mmdebstrap --quiet --variant=minbase --include=python3,passwd,xvfb,xauth,dbus,imagemagick,ca-certificates bookworm "$tree/root"
list() { (cd "$tree/root" && find usr etc opt var/lib -xdev \( -path var/lib/apt -o -path var/lib/dpkg \
    -o -path usr/share/mime -o -path var/cache -o -path "etc/sub*" -o -path "etc/*-" \) -prune -o -print | sort); }
cp "$package" "$tree/root/tmp/fidele.deb"
run() { chroot "$tree/root" /usr/bin/env -i PATH=/usr/sbin:/usr/bin:/sbin:/bin LANG=C.UTF-8 HOME=/root "$@"; }
echo "Its dependencies, then the package"
run sh -c 'apt-get update -qq && apt-get install -y -qq --no-install-recommends \
    $(dpkg-deb -f /tmp/fidele.deb Depends | tr "\n" " " | sed "s/([^)]*)//g; s/,/ /g; s/\${[^}]*}//g") \
    desktop-file-utils appstream >/dev/null 2>&1'
list > "$tree/before"
run sh -c 'apt-get install -y -qq --no-install-recommends /tmp/fidele.deb >/dev/null 2>&1 && fidele --version'
run desktop-file-validate /usr/share/applications/fidele.desktop
run appstreamcli validate --no-net --pedantic /usr/share/metainfo/org.fidele.Fidele.metainfo.xml || true
echo "The window"
cat > "$tree/root/tmp/look.sh" <<'LOOK'
export XDG_RUNTIME_DIR=$(mktemp -d)
exec xvfb-run -a -s "-screen 0 1280x800x24" sh -c 'fidele & window=$!; sleep 25; import -window root /tmp/window.png; kill $window'
LOOK
run useradd -m printroom
run su printroom -c 'cd && sh /tmp/look.sh'
cp "$tree/root/tmp/window.png" "$picture"
echo "Away again"
run sh -c 'apt-get purge -y -qq fidele >/dev/null 2>&1'
list > "$tree/after"
if ! diff "$tree/before" "$tree/after" > "$tree/left"; then
    echo "Left behind:"; cat "$tree/left"
    exit 1
fi
echo "Nothing is left of it but the user's own data. The picture: $picture"
