#!/bin/sh
# Installs the Debian packages that the window and its tests need, or those that are named, when root; otherwise says which
# to install.
set -eu

packages="libegl1 libgl1 libdbus-1-3 libfontconfig1 libxkbcommon-x11-0 libxcb-cursor0 libxcb-icccm4 libxcb-image0
libxcb-keysyms1 libxcb-randr0 libxcb-render-util0 libxcb-shape0 libxcb-xinerama0 libxcb-xkb1 libglib2.0-0 xvfb xauth
dbus at-spi2-core desktop-file-utils appstream libglu1-mesa libxft2 libxcursor1 libxinerama1 libxfixes3 libxrender1 libxext6"
[ $# -eq 0 ] || packages="$*"

if ! command -v dpkg-query >/dev/null 2>&1; then
    echo "This is no Debian system: please install what matches these packages: $packages"
    exit 0
fi

missing=""
for package in $packages; do
    dpkg-query -W -f '${Status}' "$package" 2>/dev/null | grep -q 'install ok installed' || missing="$missing $package"
done
[ -n "$missing" ] || exit 0

if [ "$(id -u)" = 0 ]; then
    echo "Installing Debian packages:$missing"
    apt-get update
    DEBIAN_FRONTEND=noninteractive apt-get install -y --no-install-recommends $missing
else
    echo "These Debian packages are missing. Install them, then run make again:"
    echo "  sudo apt-get install$missing"
    exit 1
fi
