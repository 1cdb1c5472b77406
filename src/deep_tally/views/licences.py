"""Every library that is installed with the program, its version and its licence: read from the packages themselves."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from importlib import metadata, resources

_OURS = "deep-tally"
_BUNDLED = {
    "soundfile": (("libsndfile", "LGPL-2.1-or-later"),),
    "sounddevice": (("libportaudio", "MIT"),),
    "pyside6-essentials": (("libQt6Core", "LGPL-3.0-only"),),
    "av": (
        ("libx264", "GPL-2.0-or-later"),
        ("libx265", "GPL-2.0-or-later"),
        ("libmp3lame", "LGPL-2.0-or-later"),
        ("libavcodec", "LGPL-2.1-or-later; GPL-2.0-or-later where x264 or x265 is built in"),
    ),
}
"""Libraries inside packages, and their projects' licences: the packages' own metadata name only the Python part."""


@dataclass(frozen=True, slots=True)
class Library:
    """One installed package, or a library inside one."""

    name: str
    version: str
    licence: str
    inside: str = ""


def libraries() -> Iterator[Library]:
    """The program's dependencies and theirs, by name; after each, the libraries its files contain."""
    names: dict[str, None] = {}
    _collect(_OURS, names)
    for name in sorted(names):
        about = metadata.metadata(name)
        shown = about["Name"].replace("_", "-")  # packages write either, whatever their project's own name
        yield Library(shown, metadata.version(name), _licence_of(about))
        files = [file.name for file in metadata.files(name) or ()]
        for library, licence in _BUNDLED.get(name, ()):
            if any(file.startswith(library) for file in files):
                yield Library(library, "", licence, inside=shown)


def licence_page() -> str:
    """Our licence, every library's, and the typeface's in full."""
    lines = ["Deep Tally is free software under the MIT licence.\n", "Libraries:"]
    for library in libraries():
        where = f", inside {library.inside}" if library.inside else f" {library.version}"
        lines.append(f"  {library.name}{where}: {library.licence}")
    lines.append(
        "\nTypeface: Atkinson Hyperlegible Next (its latin and latin-ext subsets merged), SIL Open Font License 1.1:\n"
    )
    lines.append(resources.files("deep_tally").joinpath("fonts/OFL.txt").read_text("utf-8"))
    return "\n".join(lines)


def _collect(name: str, names: dict[str, None]) -> None:
    try:
        requires = metadata.requires(name) or []
    except metadata.PackageNotFoundError:
        return  # wanted on another system only
    if name != _OURS:
        names[name] = None
    for requirement in requires:
        needed = re.split(r"[^A-Za-z0-9._-]", requirement, maxsplit=1)[0].lower().replace("_", "-")
        if "extra ==" not in requirement and needed not in names:
            _collect(needed, names)


def _licence_of(about: metadata.PackageMetadata) -> str:
    """The licence as an SPDX expression where the package gives one, else in its own words."""
    stated = about.json
    classified = [c.rpartition(" :: ")[2] for c in about.get_all("Classifier") or [] if c.startswith("License ::")]
    said = stated.get("license_expression") or ", ".join(classified) or stated.get("license") or "see its package"
    return str(said).splitlines()[0]
