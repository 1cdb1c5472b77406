"""Make the shipped TTF files of Atkinson Hyperlegible Next from the subsets of its npm package.

The package @fontsource/atkinson-hyperlegible-next splits each weight into a latin and a latin-ext file; Qt takes the
second for a replacement of the first, so letters go missing. Merged, with family and weight in the name table,
they behave as one family. Needs fonttools, which the program itself does not.

    python tools/merge_fonts.py PACKAGE_FOLDER src/deep_tally/fonts
"""

from __future__ import annotations

import sys
import tempfile
from pathlib import Path

from fontTools.merge import Merger
from fontTools.ttLib import TTFont

FAMILY = "Atkinson Hyperlegible Next"
WEIGHTS = {400: "Regular", 600: "SemiBold", 700: "Bold"}
WINDOWS, UNICODE, ENGLISH = 3, 1, 0x409


def merge_weight(package: Path, weight: int, style: str, target: Path) -> None:
    """Merge both subsets of one weight into one TTF."""
    with tempfile.TemporaryDirectory() as folder:
        parts = []
        for subset in ("latin", "latin-ext"):
            font = TTFont(package / "files" / f"atkinson-hyperlegible-next-{subset}-{weight}-normal.woff")
            font.flavor = None
            parts.append(f"{folder}/{subset}.ttf")
            font.save(parts[-1])
        merged = Merger().merge(parts)
    names = merged["name"]
    for record in list(names.names):
        if record.nameID in (1, 2, 16, 17):
            names.removeNames(record.nameID, record.platformID, record.platEncID, record.langID)
    plain = style in ("Regular", "Bold")
    for name_id, text in (
        (1, FAMILY if plain else f"{FAMILY} {style}"),
        (2, style if plain else "Regular"),
        (16, FAMILY),
        (17, style),
    ):
        names.setName(text, name_id, WINDOWS, UNICODE, ENGLISH)
    merged["OS/2"].usWeightClass = weight
    merged.save(target / f"AtkinsonHyperlegibleNext-{style}.ttf")


if __name__ == "__main__":
    for number, name in WEIGHTS.items():
        merge_weight(Path(sys.argv[1]), number, name, Path(sys.argv[2]))
