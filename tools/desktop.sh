#!/usr/bin/env bash
# Starts the desktop; where there is no display, on a virtual one that pictures can be taken of.
set -euo pipefail
cd "$(dirname "$0")/.."
if [ -z "${DISPLAY:-}" ] && [ -z "${WAYLAND_DISPLAY:-}" ] && [ -z "${QT_QPA_PLATFORM:-}" ]; then
  if ! command -v Xvfb >/dev/null; then
    echo "There is no display, and Xvfb for a virtual one is not installed." >&2
    exit 1
  fi
  number=99
  while [ -e "/tmp/.X11-unix/X$number" ] || [ -e "/tmp/.X$number-lock" ]; do number=$((number + 1)); done
  Xvfb ":$number" -screen 0 1280x800x24 -nolisten tcp >/dev/null 2>&1 &
  server=$!
  trap 'kill "$server" 2>/dev/null || true' EXIT
  for _ in $(seq 50); do [ -e "/tmp/.X11-unix/X$number" ] && break; sleep 0.1; done
  export DISPLAY=":$number"
  echo "No display here: the desktop runs on the virtual display $DISPLAY."
  echo "A picture of it:  DISPLAY=$DISPLAY make picture OUT=picture.png     To end it: Ctrl+C"
fi
.venv/bin/vastwatch "$@"
