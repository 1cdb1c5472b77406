"""Run all tests: under Xvfb where it and its libraries are there, else on Qt's offscreen platform.

python tools/run_tests.py                the whole suite, as two halves side by side
python tools/run_tests.py --fast         what says most in a minute: no window, no command, no detectors
python tools/run_tests.py ARGUMENTS      as pytest takes them
"""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import tempfile
import time

from check_system import DISPLAY_LIBRARIES, missing_packages

WITH_A_WINDOW = ("tests/app", "tests/cli")
"""About as long as all others together; the window's tests must not share their display with another window."""
_SLOW = (
    *WITH_A_WINDOW,
    *(
        "tests/detectors",
        "tests/work",
        "tests/listen",
        "tests/engine",
        "tests/test_tools.py",
        "tests/test_architecture.py",
    ),
    *("tests/check/test_demo.py", "tests/compare/test_compare.py", "tests/compare/test_guards.py"),
    *(
        "tests/intake/test_fuzz.py",
        "tests/intake/test_ogg.py",
        "tests/intake/test_containers.py",
        "tests/names/test_hostile_names.py",
    ),
    *(
        f"tests/measure/test_{name}.py"
        for name in ("wide_files", "gaps", "loudness", "sound_extent", "flat_tops", "run")
    ),
)
_FEWER_EXAMPLES = {"DEEP_TALLY_EXAMPLES": "0.2"}


def _command(*arguments: str) -> tuple[list[str], dict[str, str]]:
    """How pytest is begun here, and in what environment."""
    command = [sys.executable, "-m", "pytest", *arguments]
    environment = dict(os.environ)
    runner = shutil.which("xvfb-run")
    if runner and shutil.which("xauth") and not missing_packages(DISPLAY_LIBRARIES):
        environment.pop("WAYLAND_DISPLAY", None)
        environment["QT_QPA_PLATFORM"] = "xcb"
        return [runner, "-a", "-s", "-screen 0 1920x1080x24", *command], environment
    environment.pop("DISPLAY", None)
    sys.stderr.write("Testing on Qt's offscreen platform (no Xvfb here).\n")
    return command, environment


def _without(*paths: str) -> list[str]:
    return [f"--ignore={path}" for path in paths]


def _side_by_side(*halves: list[str]) -> int:
    """Two runs on two cores; what each says is printed when it is done."""
    running = []
    for half in halves:
        command, environment = _command("-q", *half)
        said = tempfile.TemporaryFile()  # noqa: SIM115 - read below, when its half is done
        running.append((subprocess.Popen(command, env=environment, stdout=said, stderr=subprocess.STDOUT), said))
    status = 0
    try:
        while running:
            for process, said in [half for half in running if half[0].poll() is not None]:
                running.remove((process, said))
                said.seek(0)
                sys.stdout.buffer.write(said.read())
                sys.stdout.flush()
                status = status or process.returncode
            time.sleep(0.2)
    finally:
        for process, _ in running:
            process.terminate()
    return status


def main() -> int:
    """Run pytest with the arguments given; returns its exit status."""
    arguments = sys.argv[1:]
    if not arguments:
        return _side_by_side(list(WITH_A_WINDOW), ["tests", *_without(*WITH_A_WINDOW)])
    if arguments == ["--fast"]:
        os.environ.update(_FEWER_EXAMPLES)
        sound = ["tests/measure", "tests/intake", "tests/compare"]
        return _side_by_side([*sound, *_without(*_SLOW)], ["tests", *_without(*sound, *_SLOW)])
    command, environment = _command(*arguments)
    return subprocess.run(command, env=environment, check=False).returncode


if __name__ == "__main__":
    sys.exit(main())
