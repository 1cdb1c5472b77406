"""Words as data: the key of what is said, and the names and figures that go into it.

Whatever finds something says it as a `Phrase`; the words stand in one catalogue (`model.english`). As a string a phrase
is its words in English, so it can be shown, joined and written like any other text; its key and parameters stay with
it, and `worded` says it in the language that is spoken.
"""

from __future__ import annotations

from collections.abc import Mapping
from string import Formatter
from types import MappingProxyType
from typing import Any

from deep_tally.model.english import WORDS
from deep_tally.model.language import gettext, in_language, ngettext, pgettext


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
        with in_language("en"):
            words = _WORDER.vformat(WORDS[key], (), params)
        made = super().__new__(cls, words)
        made.key, made.params = key, MappingProxyType(params)
        return made

    def __reduce__(self) -> tuple[Any, ...]:
        return _made, (self.key, dict(self.params))


def _made(key: str, params: Mapping[str, Any]) -> Phrase:
    return Phrase(key, **params)


def worded(said: object) -> str:
    """What is said in the language that is spoken, where it is a phrase; other text is as it is."""
    if not isinstance(said, Phrase):
        return str(said)
    return _WORDER.vformat(gettext(WORDS[said.key]), (), {name: _inside(value) for name, value in said.params.items()})


def _inside(value: Any) -> Any:
    if isinstance(value, tuple | list):
        return tuple(map(_inside, value))
    return worded(value) if isinstance(value, str) else value


class _Worder(Formatter):
    """Fills words in: `{x:bytes}`, `{x:minutes}`, `{x:tenths}`, `{x:clauses}`, `{x:list}`, `{x:or}`, `{x:and}`.

    `{x:term}` is a term of ours (a part, a form of it), as are the words of `{x:or}` and `{x:and}`.
    """

    def format_field(self, value: Any, format_spec: str) -> str:
        match format_spec:
            case "bytes":
                return (
                    ngettext("{number} byte", "{number} bytes", value)
                    if value < 10_000
                    else _decimal(f"{value / 1e6:.1f} MB")
                )
            case "megabytes":
                return f"{value / 1e6:,.0f} MB"
            case "minutes":
                return f"{int(value) // 60}:{int(value) % 60:02d}"
            case "tenths":
                tenths = int(value * 10 + 1e-6)  # cut, not rounded: 59.96 s must not read 0:60.0
                return _decimal(f"{tenths // 600}:{tenths % 600 // 10:02d}.{tenths % 10}")
            case "clauses" | "list":
                return {"clauses": "; ", "list": ", "}[format_spec].join(value)
            case "or" | "and":
                between = gettext("or") if format_spec == "or" else gettext("and")
                return f" {between} ".join(map(gettext, value))
            case "term":
                return gettext(value)
            case "g":
                return _decimal(f"{value:g}")
        if "|" in format_spec:  # one or several: {x:place|places}
            one, several = format_spec.split("|")
            return f"{value} {one if value == 1 else several}"
        return str(super().format_field(value, format_spec))


def _decimal(text: str) -> str:
    return text.replace(".", pgettext("decimal sign", "."))


_WORDER = _Worder()
