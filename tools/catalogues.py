"""Bring the message catalogues up to date with the code: `python tools/catalogues.py`.

Messages are extracted with Babel, new ones are added to each language's `deep_tally.po` without words, those that are
no longer said are dropped, and every `.po` is compiled. A language is added by making its folder in
`src/deep_tally/locale`.
"""

from __future__ import annotations

import io
import json
from collections.abc import Iterator
from datetime import UTC, datetime
from pathlib import Path

from babel.messages.catalog import Catalog
from babel.messages.extract import extract_from_dir
from babel.messages.mofile import write_mo
from babel.messages.pofile import read_po, write_po

SOURCE = Path(__file__).resolve().parent.parent / "src" / "deep_tally"
LOCALE = SOURCE / "locale"
ROOMS = ("model", "reply")
"""Where words are made; what the window and the command line say besides is in English."""
_WRITTEN = datetime(2026, 12, 1, tzinfo=UTC)
KEYWORDS = {
    "_": None,
    "gettext": None,
    "marked": None,
    "marked_plural": (1, 1),
    "pgettext": ((1, "c"), 2),
    "ngettext": (1, 2),
    "count": (2, 3),
}


def template() -> Catalog:
    """All messages that can be said."""
    catalogue = Catalog(project="Deep Tally", charset="utf-8")
    for room in ROOMS:
        for found in extract_from_dir(SOURCE / room, [("**.py", "python")], keywords=KEYWORDS):
            file, line, message, comments, context = found
            catalogue.add(message, locations=[(file, line)], auto_comments=comments, context=context)
    for term in terms():
        catalogue.add(term, locations=[("terms", 0)])
    return catalogue


def terms() -> Iterator[str]:
    """Words of ours that stand in data: families, and the parts of the lists that are shipped with their forms."""
    from deep_tally.model.names import FAMILIES

    yield from FAMILIES
    for file in sorted((SOURCE / "session" / "part_lists").glob("*.json")):
        for part in json.loads(file.read_text("utf-8"))["parts"]:
            yield part["part"]
            yield from part.get("variants", ())


def catalogue_files() -> tuple[Path, ...]:
    """The `.po` of every language."""
    return tuple(sorted(LOCALE.glob("*/LC_MESSAGES/deep_tally.po")))


def read(file: Path) -> Catalog:
    """A language's catalogue, with a header that is the same whenever it is written."""
    language = file.parent.parent.name.partition("@")[0]
    with file.open("rb") as stream:
        catalogue = read_po(stream, locale=language)
    catalogue.fuzzy = False
    catalogue.version = catalogue.msgid_bugs_address = catalogue.last_translator = catalogue.language_team = ""
    catalogue.creation_date = catalogue.revision_date = _WRITTEN
    return catalogue


def compiled(catalogue: Catalog) -> bytes:
    """As the program reads it."""
    made = io.BytesIO()
    write_mo(made, catalogue)
    return made.getvalue()


def is_overlay(file: Path) -> bool:
    """Whether it has only what is worded otherwise in a formal letter."""
    return "@" in file.parent.parent.name


def main() -> None:
    said = template()
    for folder in sorted(LOCALE.iterdir()):
        file = folder / "LC_MESSAGES" / "deep_tally.po"
        file.parent.mkdir(parents=True, exist_ok=True)
        if not file.exists():
            file.write_bytes(b"")
        catalogue = read(file)
        if not is_overlay(file):
            catalogue.update(said, no_fuzzy_matching=True, update_creation_date=False)
        catalogue.obsolete.clear()
        with file.open("wb") as stream:
            write_po(stream, catalogue, sort_output=True, no_location=True, width=0)
        file.with_suffix(".mo").write_bytes(compiled(catalogue))


if __name__ == "__main__":
    main()
