"""Run all tests: under Xvfb where it and its libraries are there, else on Qt's offscreen platform."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys

from check_system import DISPLAY_LIBRARIES, missing_packages


def main() -> int:
    """Run pytest with the arguments given; returns its exit status."""
    command = [sys.executable, "-m", "pytest", *sys.argv[1:]]
    environment = dict(os.environ)
    runner = shutil.which("xvfb-run")
    if runner and shutil.which("xauth") and not missing_packages(DISPLAY_LIBRARIES):
        environment.pop("WAYLAND_DISPLAY", None)
        environment["QT_QPA_PLATFORM"] = "xcb"
        command = [runner, "-a", "-s", "-screen 0 1920x1080x24", *command]
    else:
        environment.pop("DISPLAY", None)
        sys.stderr.write("Testing on Qt's offscreen platform (no Xvfb here).\n")
    return subprocess.run(command, env=environment, check=False).returncode


if __name__ == "__main__":
    sys.exit(main())
