"""Before setting up: say in one line what the system lacks and how to install it."""

from __future__ import annotations

import ctypes.util
import importlib.util
import sys

LEAST_PYTHON = (3, 11)
# Library -> Debian package: what Qt's widgets link even without a display.
LIBRARIES = {
    "GL": "libgl1",
    "EGL": "libegl1",
    "fontconfig": "libfontconfig1",
    "glib-2.0": "libglib2.0-0",
    "dbus-1": "libdbus-1-3",
}
# And what Qt's xcb platform loads on a real or virtual X display.
DISPLAY_LIBRARIES = {
    "xcb-cursor": "libxcb-cursor0",
    "xcb-icccm": "libxcb-icccm4",
    "xcb-keysyms": "libxcb-keysyms1",
    "xcb-image": "libxcb-image0",
    "xcb-render-util": "libxcb-render-util0",
    "xcb-shape": "libxcb-shape0",
    "xkbcommon-x11": "libxkbcommon-x11-0",
}


def missing_packages(libraries: dict[str, str]) -> list[str]:
    """The packages of the libraries that cannot be found."""
    return [package for library, package in libraries.items() if ctypes.util.find_library(library) is None]


def main() -> int:
    """Print what is missing; 1 when the set-up cannot work without it."""
    if sys.version_info < LEAST_PYTHON:
        sys.stderr.write(f"Deep Tally needs Python 3.11 or newer, this is {sys.version.split()[0]}.\n")
        return 1
    needed = missing_packages(LIBRARIES)
    if importlib.util.find_spec("ensurepip") is None:
        needed.insert(0, "python3-venv")
    if needed:
        sys.stderr.write(f"Something is missing. Install it with: apt-get install {' '.join(needed)}\n")
        return 1
    wanted = missing_packages(DISPLAY_LIBRARIES)
    if wanted:
        sys.stderr.write(f"For a window on an X display also: apt-get install {' '.join(wanted)}\n")
    return 0


if __name__ == "__main__":
    sys.exit(main())
