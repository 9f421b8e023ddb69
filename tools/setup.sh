#!/usr/bin/env bash
# Builds the virtual environment with the pinned requirements, and sees to the system libraries Qt needs.
#   setup.sh PYTHON VENV REQUIREMENTS
set -euo pipefail
python=$1 venv=$2 requirements=$3
packages="libegl1 libgl1 libfontconfig1 libdbus-1-3 libxkbcommon0 libxkbcommon-x11-0 libxcb-cursor0 libxcb-icccm4
  libxcb-image0 libxcb-keysyms1 libxcb-randr0 libxcb-render-util0 libxcb-shape0 libxcb-xinerama0 libxcb-xkb1 xvfb"

if ! "$python" -c 'import sys; sys.exit(sys.version_info < (3, 11))' 2>/dev/null; then
  echo "Vast Watch needs Python 3.11 or newer; '$python' is not. Try: make PYTHON=python3.12 demo" >&2
  exit 1
fi
if [ ! -x "$venv/bin/python" ]; then
  echo "Setting up $venv ..."
  "$python" -m venv "$venv" || { echo "Python's venv module is missing: install the package python3-venv." >&2; exit 1; }
fi
"$venv/bin/python" -m pip install --quiet --disable-pip-version-check -r "$requirements"
"$venv/bin/python" -m pip install --quiet --disable-pip-version-check --no-deps -e .
# Compiles what is compiled, once, so that nobody waits for it at work.
"$venv/bin/python" -m vastwatch.answers.prepare

# What Qt's plugins want and the system has not.
plugins=$("$venv/bin/python" -c 'import importlib.util as u, pathlib as p
print(p.Path(u.find_spec("PyQt6").origin).parent / "Qt6" / "plugins" / "platforms")')
missing=$(ldd "$plugins"/libqxcb.so "$plugins"/libqoffscreen.so "$plugins"/../../lib/libQt6Gui.so.6 2>/dev/null \
  | awk '/not found/ {print $1}' | sort -u | tr '\n' ' ')
command -v Xvfb >/dev/null || missing="$missing Xvfb"
if [ -n "${missing// /}" ]; then
  if command -v apt-get >/dev/null && [ "$(id -u)" = 0 ]; then
    echo "Installing system libraries for Qt ..."
    # shellcheck disable=SC2086
    { apt-get update -qq && DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends $packages; } \
      >/dev/null 2>&1 || echo "They could not be installed; missing: $missing" >&2
  else
    echo "Qt needs system libraries that are missing here: $missing" >&2
    echo "On a Debian-like system, as an administrator: apt-get install" $packages >&2
  fi
fi
