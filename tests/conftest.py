"""Shared fixtures: the demo delivery is made and measured once for all tests."""

from __future__ import annotations

import itertools
import json
import os
import tempfile
from collections.abc import Iterator
from pathlib import Path

import pytest

import searching  # noqa: F401 - decides how many examples property tests try
import stable
from deep_tally.compare import matching
from deep_tally.demo.awkward import write_awkward
from deep_tally.demo.delivery import write_demo
from deep_tally.engine.check_run import KERNELS, CheckRun, Refused
from deep_tally.model.brief import DEFAULT_BRIEF
from deep_tally.model.delivery import Delivery
from deep_tally.work.crew import Crew

os.environ |= {"LC_ALL": "C.UTF-8", "LANGUAGE": ""}  # the letters of these tests are in English wherever they run
if not os.environ.get("DISPLAY"):
    # The offscreen platform's own screen is 800 x 800, smaller than the window.
    screen = {"name": "wide", "x": 0, "y": 0, "width": 1920, "height": 1080, "logicalDpi": 96, "dpr": 1}
    screens = Path(tempfile.mkdtemp()) / "screens.json"
    screens.write_text(json.dumps({"screens": [screen]}))
    os.environ.setdefault("QT_QPA_PLATFORM", f"offscreen:configfile={screens}")

_HOMES = itertools.count()
_mix_of = matching.mix_of
# A rough mix is compared with its files only where a test is about that: it takes seconds each time.
matching.mix_of = lambda tracks, comparison: None


@pytest.fixture(autouse=True)
def with_mix_match(request: pytest.FixtureRequest, monkeypatch: pytest.MonkeyPatch) -> None:
    """Tests that are marked with `mix_match` compare rough mixes with their files."""
    if "mix_match" in request.keywords:
        monkeypatch.setattr(matching, "mix_of", _mix_of)


def check_folder(folder: Path, **options: Path) -> Delivery:
    """The check run on a folder, as every face does it."""
    with CheckRun([folder], DEFAULT_BRIEF, is_cached=False, **options) as run:
        for event in run:
            if isinstance(event, Refused):
                raise event.error
    assert run.delivery is not None
    return run.delivery


@pytest.fixture(autouse=True)
def warm_workers(own_home: Path, request: pytest.FixtureRequest, monkeypatch: pytest.MonkeyPatch) -> None:
    """Workers outlive their crew, except where tests are about their life and death."""
    if request.path.name not in ("test_crew.py", "test_command.py"):
        monkeypatch.setattr(Crew, "hire", stable.hire)
        monkeypatch.setattr(Crew, "close", stable.close)


@pytest.fixture(autouse=True)
def own_home(tmp_path_factory: pytest.TempPathFactory, monkeypatch: pytest.MonkeyPatch) -> Path:
    """No test reads or writes the real home's configuration and cache."""
    # Numbered here: pytest would look through all of thousands of folders for the next number.
    home = tmp_path_factory.mktemp(f"home-{next(_HOMES)}", numbered=False)
    monkeypatch.setenv("XDG_CONFIG_HOME", str(home / "config"))
    monkeypatch.setenv("XDG_CACHE_HOME", str(home / "cache"))
    monkeypatch.setenv("XDG_DATA_HOME", str(home / "data"))
    monkeypatch.setenv("XDG_STATE_HOME", str(home / "state"))
    return home


@pytest.fixture(scope="session")
def demo_folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return write_demo(tmp_path_factory.mktemp("demo"))


@pytest.fixture(scope="session")
def demo(demo_folder: Path) -> Delivery:
    return check_folder(demo_folder)


@pytest.fixture(scope="session")
def awkward(tmp_path_factory: pytest.TempPathFactory) -> Delivery:
    return check_folder(write_awkward(tmp_path_factory.mktemp("awkward")))


@pytest.fixture
def crew() -> Iterator[Crew]:
    made = Crew(workers=1, preload=KERNELS)
    yield made
    made.close()
