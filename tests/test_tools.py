"""The scripts behind make."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

import pytest

TOOLS = Path(__file__).parent.parent / "tools"


@pytest.mark.parametrize(
    ("libraries", "packages"),
    [({"c": "libc6", "no-such-thing": "libnosuch1"}, ["libnosuch1"]), ({"c": "libc6"}, [])],
)
def test_missing_libraries_are_reported_by_their_packages(libraries: dict[str, str], packages: list[str]) -> None:
    code = f"import check_system; print(check_system.missing_packages({libraries!r}))"
    done = subprocess.run([sys.executable, "-c", code], cwd=TOOLS, capture_output=True, text=True, check=True)
    assert done.stdout.strip() == str(packages)


def test_what_is_missing_is_one_line_with_the_way_to_install_it() -> None:
    code = "import check_system, sys; check_system.LIBRARIES = {'no-such-thing': 'libnosuch1'}\n"
    code += "sys.exit(check_system.main())"
    done = subprocess.run([sys.executable, "-c", code], cwd=TOOLS, capture_output=True, text=True, check=False)
    assert done.returncode == 1
    assert done.stderr == "Something is missing. Install it with: apt-get install libnosuch1\n"
