"""Words as data: the key of what is said, and the names and figures that go into it.

Whatever finds something says it as a `Phrase`; the words stand in one catalogue (`model.english`). As a string a phrase
is its words, so it can be shown, joined and written like any other text, and its key and parameters stay with it.
"""

from __future__ import annotations

from collections.abc import Mapping
from string import Formatter
from types import MappingProxyType
from typing import Any

from deep_tally.model.english import WORDS


class Phrase(str):
    """What is said, as a key and what goes into it.

    Parameters
    ----------
    key : str
        In the catalogue.
    **params
        What its words name: texts, figures in SI units, other phrases.

    Raises
    ------
    KeyError
        The catalogue has no such key, or its words name a parameter that is not given.
    """

    key: str
    params: Mapping[str, Any]

    def __new__(cls, key: str, /, **params: Any) -> Phrase:
        made = super().__new__(cls, _WORDER.vformat(WORDS[key], (), params))
        made.key, made.params = key, MappingProxyType(params)
        return made

    def __reduce__(self) -> tuple[Any, ...]:
        return _made, (self.key, dict(self.params))


def _made(key: str, params: Mapping[str, Any]) -> Phrase:
    return Phrase(key, **params)


class _Worder(Formatter):
    """Fills words in: `{x:bytes}`, `{x:minutes}`, `{x:tenths}`, `{x:clauses}`, `{x:list}`, `{x:or}`, `{x:and}`."""

    def format_field(self, value: Any, format_spec: str) -> str:
        match format_spec:
            case "bytes":
                return f"{value} bytes" if value < 10_000 else f"{value / 1e6:.1f} MB"
            case "megabytes":
                return f"{value / 1e6:,.0f} MB"
            case "minutes":
                return f"{int(value) // 60}:{int(value) % 60:02d}"
            case "tenths":
                tenths = int(value * 10 + 1e-6)  # cut, not rounded: 59.96 s must not read 0:60.0
                return f"{tenths // 600}:{tenths % 600 // 10:02d}.{tenths % 10}"
            case "clauses" | "list" | "or" | "and":
                return {"clauses": "; ", "list": ", ", "or": " or ", "and": " and "}[format_spec].join(value)
        if "|" in format_spec:  # one or several: {x:place|places}
            one, several = format_spec.split("|")
            return f"{value} {one if value == 1 else several}"
        return str(super().format_field(value, format_spec))


_WORDER = _Worder()
