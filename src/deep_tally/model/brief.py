"""The brief: what the engineer asks for. A JSON document whose every key but `schema` may be left out.

Unknown keys are kept and written back; a wrong type, an unknown schema or an unknown threshold is
refused with the key's path (docs/brief.md has the whole document).
"""

from __future__ import annotations

import json
import re
from pathlib import Path
from typing import Annotated, Any, Literal

from pydantic import AfterValidator, BaseModel, ConfigDict, Field, ValidationError

from deep_tally.model.errors import BriefRefused, PatternRefused
from deep_tally.model.naming import require_pattern
from deep_tally.model.phrase import Phrase
from deep_tally.model.thresholds import THRESHOLDS
from deep_tally.model.timeline import MeterStep

SCHEMA = 1
_THRESHOLD_MOST = 1e9
"""No threshold is of this size in any unit; a larger number is a slip that would end in arithmetic."""

# Multiples and fractions of 44.1 and 48 kHz (AES5), and the rates 0.1 % off them that film work leaves behind.
KNOWN_RATES_HZ = frozenset(
    {8_000, 11_025, 16_000, 22_050, 24_000, 32_000, 44_056, 44_100, 44_144, 47_952, 48_000, 48_048, 88_200, 96_000}
    | {176_400, 192_000, 352_800, 384_000}
)


def _require_ordered(window: tuple[float, float]) -> tuple[float, float]:
    if not window[0] < window[1] <= 0:
        raise ValueError("the lower bound must be under the upper one, and both at most 0 dBFS")
    return window


def _require_known_rate(rate_hz: int) -> int:
    if rate_hz not in KNOWN_RATES_HZ:
        raise ValueError(f"unknown rate {rate_hz} Hz")
    return rate_hz


def _require_known(thresholds: dict[str, float]) -> dict[str, float]:
    if unknown := sorted(set(thresholds) - set(THRESHOLDS)):
        raise ValueError(f"unknown threshold {unknown[0]!r}")
    if absurd := [name for name, value in thresholds.items() if abs(value) > _THRESHOLD_MOST]:
        raise ValueError(f"{absurd[0]} is beyond {_THRESHOLD_MOST:g}")
    return thresholds


def _require_meter(meter: str) -> str:
    if re.fullmatch(r"([1-9]|[12]\d|3[0-2])/(1|2|4|8|16|32)", meter) is None:
        raise ValueError(f"{meter!r} is no meter such as 4/4 or 6/8")
    return meter


Finite = Annotated[float, Field(allow_inf_nan=False)]
Rate = Annotated[int, AfterValidator(_require_known_rate)]
PeakWindow = Annotated[tuple[float, float], AfterValidator(_require_ordered), Field(strict=False)]


class _Part(BaseModel):
    model_config = ConfigDict(frozen=True, strict=True, extra="allow", allow_inf_nan=False)


class LengthAsked(_Part):
    """What is asked of the files' length."""

    equal: bool = True
    whole_bars: bool = False
    tail_seconds: Annotated[float, Field(ge=0)] | None = None
    trimmed_ends: bool = False


class Printed(_Part):
    """What may be printed into the files; no check claims to see it."""

    insert_processing: Literal["unless-sound", "out", "in", "either"] = "unless-sound"
    effect_returns: Literal["out", "in", "separate", "either"] = "separate"
    fader_and_pan_moves: Literal["out", "in", "either"] = "out"
    main_output_chain: Literal["out", "either"] = "out"


class Needs(_Part):
    """What must come along with the trackouts."""

    rough_mix: bool = True
    song: bool = True
    tempo: bool = True
    key: bool = False
    artist: bool = False
    references: bool = False
    click: bool = False
    midi: bool = False
    documents: bool = False
    stamps: bool = False


def _require_usable(pattern: str) -> str:
    try:
        return require_pattern(pattern)
    except PatternRefused as refused:
        raise ValueError(f"{refused.problem}; {refused.remedy}") from refused


class Names(_Part):
    """What is asked of file names. `generic_words` are the trade's own plain words."""

    pattern: Annotated[str, AfterValidator(_require_usable)] | None = None
    longest: Annotated[int, Field(ge=1)] = 64
    generic_words: Annotated[tuple[str, ...], Field(strict=False)] = (
        "track",
        "trk",
        "audio",
        "channel",
        "chan",
        "ch",
        "input",
        "in",
        "output",
        "out",
        "bus",
        "insert",
        "aux",
        "send",
        "return",
        "inst",
        "instrument",
        "midi",
        "bounce",
        "bounced",
        "export",
        "mic",
        "take",
        "recording",
        "rec",
        "sound",
        "clip",
        "file",
        "untitled",
        "unnamed",
        "new",
        "mono",
        "stereo",
        "spur",
        "tonspur",
        "kanal",
    )


class Part(_Part):
    """One part the engineer expects."""

    part: str
    channels: Literal[1, 2] | None = None
    variants: Annotated[tuple[str, ...], Field(strict=False)] = ()
    printed: Printed | None = None


class Brief(_Part):
    """The whole brief, with the defaults of a multitrack mix."""

    schema_: Annotated[Literal[1], Field(alias="schema")]
    name: str = "Multitrack mix"
    scope: Literal["every-track", "groups", "both", "named-parts", "mix"] = "every-track"
    rates: Annotated[tuple[Rate, ...], Field(strict=False, min_length=1)] | None = None
    bits_min: Literal[8, 16, 20, 24, 32] = 24
    sample_formats: Annotated[tuple[Literal["int", "float"], ...], Field(strict=False, min_length=1)] = (
        "int",
        "float",
    )
    containers: Annotated[tuple[str, ...], Field(strict=False)] | None = None
    levels: Literal["headroom", "untouched", "as-rough-mix"] = "headroom"
    rms_window_dbfs: PeakWindow | None = None
    peak_window_dbfs: PeakWindow = (-30.0, -6.0)
    tempo_bpm: Annotated[float, Field(ge=20, le=400, strict=False)] | None = None
    meter: Annotated[str, AfterValidator(_require_meter)] | None = None
    length: LengthAsked = LengthAsked()
    stereo: Literal["either", "one-file", "two-monos"] = "either"
    printed: Printed = Printed()
    needs: Needs = Needs()
    names: Names = Names()
    parts: Annotated[tuple[Part, ...], Field(strict=False)] = ()
    thresholds: Annotated[dict[str, Finite], AfterValidator(_require_known)] = Field(default_factory=dict)

    def threshold(self, name: str) -> float:
        """The value of a threshold: the brief's own or the default.

        Raises
        ------
        KeyError
            A name `THRESHOLDS` does not hold.
        """
        default = THRESHOLDS[name].default
        return self.thresholds.get(name, default)

    @property
    def meter_step(self) -> MeterStep | None:
        """The meter it states."""
        if self.meter is None:
            return None
        beats, _, unit = self.meter.partition("/")
        return MeterStep(quarter=0.0, beats=int(beats), unit=int(unit))

    def to_json(self) -> str:
        """The document as it is saved, unknown keys included."""
        return self.model_dump_json(by_alias=True, indent=2) + "\n"


def with_value(brief: Brief, key: str, value: object) -> Brief:
    """The brief with one line changed.

    Parameters
    ----------
    brief : Brief
    key : str
        As in the document, with dots: "length.equal", "thresholds.headroom.tolerance_db".
    value : object
        JSON-ready: lists, texts, numbers, None.

    Raises
    ------
    BriefRefused
        The value cannot be used there.
    """
    document = brief.model_dump(mode="json", by_alias=True, exclude_unset=True)
    first, dot, rest = key.partition(".")
    if dot:
        inner = dict(document.get(first) or {})
        if value is None and first == "thresholds":
            inner.pop(rest, None)  # back to the default
        else:
            inner[rest] = value
        document[first] = inner
    else:
        document[first] = value
    return parse_brief(json.dumps(document), subject="The brief")


DEFAULT_BRIEF = Brief.model_validate({"schema": SCHEMA})


def brief_schema() -> dict[str, Any]:
    """The JSON Schema (draft 2020-12) of a brief; docs/brief.schema.json is a copy of it."""
    made = Brief.model_json_schema(by_alias=True)
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", "title": "Brief (schema 1)", **made}


def read_brief(path: Path) -> Brief:
    """Read a brief from a JSON file.

    Raises
    ------
    BriefRefused
        The file cannot be read, is no JSON, or a value in it is refused; the message has the key's path.
    """
    try:
        text = path.read_text(encoding="utf-8")
    except OSError as error:
        raise BriefRefused(
            str(path), Phrase("brief.unreadable", why=error.strerror), Phrase("do.check-path")
        ) from error
    except UnicodeDecodeError as error:
        raise BriefRefused(str(path), Phrase("brief.not-text"), Phrase("brief.save-as-text")) from error
    return parse_brief(text, subject=str(path))


def parse_brief(text: str, *, subject: str) -> Brief:
    """Make a brief of JSON text; `subject` names it in errors.

    Raises
    ------
    BriefRefused
        The text is no JSON object, or a value in it is refused.
    """
    try:
        document = json.loads(text)
    except (ValueError, RecursionError) as error:  # a number of thousands of digits is a ValueError of its own
        line = error.lineno if isinstance(error, json.JSONDecodeError) else None
        problem = Phrase("brief.no-json-at", line=line) if line is not None else Phrase("brief.no-json")
        raise BriefRefused(subject, problem, Phrase("brief.correct-there")) from error
    if not isinstance(document, dict):
        raise BriefRefused(subject, Phrase("brief.no-object"), Phrase("brief.start-from"))
    schema = document.get("schema")
    if isinstance(schema, int) and not isinstance(schema, bool) and schema > SCHEMA:
        raise BriefRefused(subject, Phrase("brief.newer", schema=schema, ours=SCHEMA), Phrase("do.update"))
    try:
        # Strict validation of JSON (lists count as tuples) is pydantic's JSON mode.
        return Brief.model_validate_json(text)
    except ValidationError as refused:
        faults = []
        for fault in refused.errors():
            key = ".".join(str(step) for step in fault["loc"]) or "the brief"
            faults.append(f"{key}: {fault['msg'].removeprefix('Value error, ')}")
        raise BriefRefused(
            subject, Phrase("brief.faults", faults=tuple(faults)), Phrase("brief.correct-keys")
        ) from refused
