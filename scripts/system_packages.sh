#!/bin/sh
# System libraries that the window, its 3-D view and its tests need, on Debian.
# As root this installs what is missing; otherwise it prints the line to run.
set -eu

PACKAGES="xvfb xauth libgl1 libgl1-mesa-dri libegl1 libglx-mesa0 libopengl0 libglib2.0-0 libdbus-1-3
libfontconfig1 libfreetype6 libx11-6 libx11-xcb1 libxkbcommon0 libxkbcommon-x11-0 libxcb-cursor0
libxcb-glx0 libxcb-icccm4 libxcb-image0 libxcb-keysyms1 libxcb-randr0 libxcb-render-util0
libxcb-render0 libxcb-shape0 libxcb-shm0 libxcb-sync1 libxcb-util1 libxcb-xfixes0 libxcb-xinerama0
libxcb-xkb1 libxrender1 libxext6 libsm6 libglu1-mesa libxcursor1 libxft2 libxinerama1 libpango-1.0-0
libpangoft2-1.0-0 libharfbuzz-subset0 libgssapi-krb5-2
libgomp1"

command -v dpkg-query >/dev/null 2>&1 || exit 0
missing=""
for package in $PACKAGES; do
  dpkg-query -W -f='${Status}' "$package" 2>/dev/null | grep -q 'ok installed' || missing="$missing $package"
done
[ -z "$missing" ] && exit 0

if [ "$(id -u)" = 0 ]; then
  apt-get update -qq >/dev/null
  # shellcheck disable=SC2086
  DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends $missing >/dev/null
else
  echo "Tartan's window needs system packages. Run:" >&2
  echo "  sudo apt-get install --no-install-recommends$missing" >&2
  exit 1
fi
