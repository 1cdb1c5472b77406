"""The names of a whole song set, each read in the light of the others."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from deep_tally.model.delivery import SongFacts
from deep_tally.model.names import ParsedName
from deep_tally.names.parse import Context, parse
from deep_tally.names.prefix import shared_prefix
from deep_tally.names.vocabulary import Vocabulary, shipped
from deep_tally.names.words import stem_of


def read_names(
    paths: Iterable[str], facts: SongFacts, vocabulary: Vocabulary | None = None
) -> Mapping[str, ParsedName]:
    """Parse the names of one song's files.

    Parameters
    ----------
    paths : iterable of str
        Inside the delivery.
    facts : SongFacts
        Title, artist and tempo are known again in the names.
    vocabulary : Vocabulary, optional
        With the user's own words; else the shipped one.

    Returns
    -------
    mapping of path to ParsedName
    """
    stems = {path: stem_of(path) for path in paths}
    context = Context(
        title=facts.title or "",
        artist=facts.artist or "",
        tempo_bpm=facts.tempo_bpm,
        prefix=shared_prefix(stems.values()),
    )
    words = vocabulary or shipped()
    return {path: parse(stem, words, context) for path, stem in stems.items()}


def parse_part(text: str, vocabulary: Vocabulary | None = None) -> ParsedName:
    """A part as a brief asks for it ("kick in", "lead voice"), read like a name."""
    return parse(text, vocabulary or shipped())
