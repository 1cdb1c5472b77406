"""Two rounds against each other as JSON (schema 1, docs/json.md)."""

from __future__ import annotations

import json
from dataclasses import asdict
from typing import Any

from deep_tally.model.delivery import Delivery
from deep_tally.model.rounds import RoundFile, Rounds
from deep_tally.reply.formats.json import finding_document
from deep_tally.reply.wording.speaker import Speaker

SCHEMA = 1


def rounds_to_json(rounds: Rounds, after: Delivery) -> str:
    """The document as text; `after` is what the second round was judged as."""
    speaker = Speaker(after)
    document = {
        "schema": SCHEMA,
        "partial": rounds.is_partial,
        "requests": [
            {"code": r.code, "files": list(r.files), "state": r.state, "left": list(r.left)} for r in rounds.requests
        ],
        "files": [_file(f) for f in rounds.files],
        "new_findings": [finding_document(f, speaker) for f in rounds.new_findings],
    }
    return json.dumps(document, indent=2, ensure_ascii=True, allow_nan=False) + "\n"


def _file(file: RoundFile) -> dict[str, Any]:
    changes = {what: list(values) for what, values in file.changes.items()}
    sound = asdict(file.sound) if file.sound is not None else None
    return {"path": file.path, "was": file.was, "state": file.state, "changes": changes, "sound": sound}
