#!/usr/bin/env bash
# Names the system libraries that Qt and the PDF writer need and that are missing,
# installs them where apt may be used, and otherwise prints the one command that does.
set -euo pipefail

# library file that must be loadable -> Debian/Ubuntu package that brings it
needs="
libGL.so.1 libgl1
libEGL.so.1 libegl1
libglib-2.0.so.0 libglib2.0-0
libfontconfig.so.1 libfontconfig1
libfreetype.so.6 libfreetype6
libdbus-1.so.3 libdbus-1-3
libxkbcommon.so.0 libxkbcommon0
libxkbcommon-x11.so.0 libxkbcommon-x11-0
libX11-xcb.so.1 libx11-xcb1
libxcb-cursor.so.0 libxcb-cursor0
libxcb-icccm.so.4 libxcb-icccm4
libxcb-image.so.0 libxcb-image0
libxcb-keysyms.so.1 libxcb-keysyms1
libxcb-randr.so.0 libxcb-randr0
libxcb-render-util.so.0 libxcb-render-util0
libxcb-shape.so.0 libxcb-shape0
libxcb-sync.so.1 libxcb-sync1
libxcb-xfixes.so.0 libxcb-xfixes0
libxcb-xinerama.so.0 libxcb-xinerama0
libxcb-xkb.so.1 libxcb-xkb1
libpango-1.0.so.0 libpango-1.0-0
libpangoft2-1.0.so.0 libpangoft2-1.0-0
libharfbuzz.so.0 libharfbuzz0b
libharfbuzz-subset.so.0 libharfbuzz-subset0
"

known=$( (ldconfig -p 2>/dev/null || /sbin/ldconfig -p 2>/dev/null) | awk '{print $1}')
missing=""
while read -r library package; do
  [ -n "$library" ] || continue
  grep -qxF "$library" <<<"$known" || missing="$missing $package"
done <<<"$needs"
if ! python3 -c 'import venv, ensurepip' 2>/dev/null; then missing="$missing python3-venv"; fi
[ -n "$missing" ] || exit 0

echo "System libraries that are missing:$missing"
if ! command -v apt-get >/dev/null; then
  echo "Install them with this system's package manager (the names above are Debian's), then run make again." >&2
  exit 1
fi
if [ "$(id -u)" = 0 ]; then run=""
elif command -v sudo >/dev/null && sudo -n true 2>/dev/null; then run="sudo"
else
  echo "Install them with this command, then run make again:" >&2
  echo "  sudo apt-get update && sudo apt-get install -y$missing" >&2
  exit 1
fi
$run apt-get update -qq
DEBIAN_FRONTEND=noninteractive $run apt-get install -y -qq --no-install-recommends $missing >/dev/null
