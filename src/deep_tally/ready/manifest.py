"""The plan of a ready copy, and what became of it, as JSON (docs/ready.schema.json) and as a table (CSV, RFC 4180)."""

from __future__ import annotations

import csv
import io
import json
import math
from collections.abc import Mapping
from typing import Any

from deep_tally.model.ready import Copy, ReadyPlan

SCHEMA = 1
COLUMNS = (
    *("source", "copy", "steps", "offset_frames", "gain_db", "left_db", "right_db"),
    *("frames", "channels", "rate", "bits", "sha256_source", "sha256_copy"),
)
Digests = Mapping[str, tuple[str, tuple[str, ...]]]
"""For each copy by its name: SHA-256 of its file, and of its sources."""


def plan_document(plan: ReadyPlan, digests: Digests | None = None) -> dict[str, Any]:
    """The plan, with the digests of what was written; null where nothing was yet.

    Levels are dB; a side that is silent has null. Nothing in it depends on the machine.
    """
    return {
        "schema": SCHEMA,
        "copies": copies_document(plan, digests),
        "left_out": [{"source": _text(left.source), "reason": left.reason} for left in plan.left_out],
    }


def copies_document(plan: ReadyPlan, digests: Digests | None = None) -> list[dict[str, Any]]:
    """The copies alone."""
    return [_copy(copy, (digests or {}).get(copy.name)) for copy in plan.copies]


def _copy(copy: Copy, digests: tuple[str, tuple[str, ...]] | None) -> dict[str, Any]:
    sources = [_text(source) for source in copy.sources]
    of_copy, of_sources = digests or (None, (None,) * len(sources))
    is_one = len(sources) == 1
    document: dict[str, Any] = {"source": sources[0]} if is_one else {"sources": sources}
    document |= {
        "copy": _text(copy.name),
        "sha256_source": of_sources[0] if is_one else list(of_sources),
        "sha256_copy": of_copy,
        "steps": [{"step": step.name, **{k: _figure(v) for k, v in step.figures.items()}} for step in copy.steps],
        "offset_frames": copy.offset_frames,
        "gain_db": _figure(copy.gain_db),
    }
    if copy.left_db is not None:
        document |= {"left_db": _figure(copy.left_db), "right_db": _figure(copy.right_db)}
    document |= {"frames": copy.frames, "channels": copy.channels, "rate": copy.rate_hz, "bits": copy.bits}
    return document


def _figure(value: float | str | None) -> float | int | str | None:
    if not isinstance(value, float):
        return value
    if not math.isfinite(value):
        return None
    return int(value) if value.is_integer() else round(value, 9)


def _text(path: str) -> str:
    """A path as JSON can hold it."""
    return path.encode("utf-8", "surrogateescape").decode("utf-8", "replace")


def to_json(plan: ReadyPlan, digests: Digests | None = None) -> str:
    """The document as text."""
    return json.dumps(plan_document(plan, digests), indent=2, ensure_ascii=False) + "\n"


def to_csv(plan: ReadyPlan, digests: Digests | None = None) -> str:
    """A row for each copy, and one for each file that is left out."""
    text = io.StringIO()
    writer = csv.writer(text, lineterminator="\r\n")
    writer.writerow(COLUMNS)
    for row in copies_document(plan, digests):
        sources, hashes = row.get("sources", [row.get("source")]), row["sha256_source"]
        said = {
            **row,
            "source": _plain("; ".join(sources)),
            "copy": _plain(row["copy"]),
            "steps": " ".join(step["step"] for step in row["steps"]),
            "sha256_source": "; ".join(filter(None, hashes)) if isinstance(hashes, list) else hashes,
        }
        writer.writerow([said.get(column) for column in COLUMNS])
    for left in plan.left_out:
        writer.writerow([_plain(_text(left.source)), "", f"left out: {left.reason}"])
    return text.getvalue()


def _plain(text: str) -> str:
    """A text that a table program does not take for a formula."""
    return f"'{text}" if text.startswith(("=", "+", "-", "@", "\t", "\r")) else text
