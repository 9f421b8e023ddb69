"""Saves a picture of the display in $DISPLAY: python tools/picture.py OUT.png"""

from __future__ import annotations

import os
import sys

from PyQt6.QtGui import QGuiApplication

if not os.environ.get("DISPLAY"):
    sys.exit("Say which display: DISPLAY=:99 make picture OUT=picture.png")
os.environ["QT_QPA_PLATFORM"] = "xcb"
app = QGuiApplication(sys.argv[:1])
screen = app.primaryScreen()
if screen is None or not screen.grabWindow(0).save(sys.argv[1]):
    sys.exit(f"The picture could not be saved to {sys.argv[1]}.")
print(f"Saved {sys.argv[1]}.")
