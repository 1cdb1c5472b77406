"""The licences on the About page, against what is installed and what the projects say of themselves."""

from __future__ import annotations

import tomllib
from importlib import metadata
from pathlib import Path

from deep_tally.views.licences import libraries, licence_page

PROJECT = Path(__file__).parents[2] / "pyproject.toml"


def test_every_dependency_is_listed_with_its_installed_version() -> None:
    wanted = tomllib.loads(PROJECT.read_text("utf-8"))["project"]["dependencies"]
    listed = {lib.name.lower().replace("_", "-"): lib for lib in libraries() if not lib.inside}
    names = {w.split(">")[0].split("<")[0].strip().lower() for w in wanted}
    assert len(names) > 15
    assert names <= set(listed)
    assert all(listed[name].version == metadata.version(name) for name in names)
    # What these depend on in turn is redistributed too; what only tests need is not.
    assert {"pydantic-core", "cffi", "markupsafe"} <= set(listed)
    assert not {"pytest", "hypothesis", "ruff"} & set(listed)


def test_licences_are_those_the_projects_state() -> None:
    licences = {(lib.name.lower(), lib.inside.lower()): lib.licence for lib in libraries()}
    # fpdf2's and soxr's own LICENSE files, Qt's terms, x264's COPYING.
    assert licences["fpdf2", ""] == "LGPL-3.0-only"
    assert licences["soxr", ""] == "LGPL-2.1-or-later"
    assert licences["libsndfile", "soundfile"] == "LGPL-2.1-or-later"
    assert all(lib.licence and "\n" not in lib.licence for lib in libraries())


def test_what_a_wheel_carries_is_listed_where_it_carries_it() -> None:
    carried = {file.name.partition("-")[0] for file in metadata.files("av") or ()}
    listed = {lib.name for lib in libraries() if lib.inside == "av"}
    for name in ("libx264", "libx265", "libavcodec"):
        assert (name in listed) is (name in carried)


def test_the_page_has_all_of_it_and_the_typefaces_licence_in_full() -> None:
    page = licence_page()
    assert "MIT licence" in page
    assert all(lib.name in page for lib in libraries())
    assert "SIL OPEN FONT LICENSE Version 1.1" in page
