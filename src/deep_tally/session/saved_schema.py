"""The JSON Schema (draft 2020-12) of saved checks, made from the types they are written from."""

from __future__ import annotations

import dataclasses
import enum
import types
from collections.abc import Mapping
from pathlib import Path
from typing import Any, Literal, Union, get_args, get_origin, get_type_hints

import numpy as np

from deep_tally.model.brief import Brief
from deep_tally.model.corrections import Corrections
from deep_tally.model.phrase import Phrase
from deep_tally.model.saved_check import SavedCheck
from deep_tally.session.saved_checks import KIND, SCHEMA

_BASE64 = {"type": "string", "description": "deflated (RFC 1950), then base64 (RFC 4648)"}
_OWN: Mapping[Any, dict[str, Any]] = {
    int: {"type": "integer"},
    float: {"oneOf": [{"type": "number"}, {"enum": ["inf", "-inf", "nan"]}]},
    str: {"type": "string"},
    bool: {"type": "boolean"},
    bytes: _BASE64,
    Path: {"type": "string"},
    type(None): {"type": "null"},
    Phrase: {
        "type": "object",
        "required": ["say", "with"],
        "properties": {"say": {"type": "string"}, "with": {"type": "object"}},
        "description": "a sentence by its key, and what goes into it",
    },
    Brief: {"type": "object", "description": "see brief.schema.json"},
    Corrections: {"type": "object", "description": "see corrections.md"},
    np.ndarray: {
        "type": "object",
        "required": ["type", "shape", "data"],
        "properties": {
            "type": {"enum": ["float16", "float32", "float64", "int64"]},
            "shape": {"type": "array", "items": {"type": "integer"}},
            "data": {**_BASE64, "description": "little-endian numbers, deflated (RFC 1950), then base64 (RFC 4648)"},
        },
    },
}


def saved_check_schema() -> dict[str, Any]:
    """What every saved check fulfils; docs/saved-check.schema.json is a copy of it."""
    defs: dict[str, Any] = {}
    top = _of_class(SavedCheck, defs)
    top["properties"] = {
        "kind": {"const": KIND},
        "schema": {"const": SCHEMA},
        "program": {"type": "string"},
        **top["properties"],
    }
    top["required"] = ["kind", "schema", "program", *top["required"]]
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": f"Saved check (schema {SCHEMA})",
        **top,
        "$defs": dict(sorted(defs.items())),
    }


def _of(kind: Any, defs: dict[str, Any]) -> dict[str, Any]:
    if kind in _OWN:
        return _OWN[kind]
    origin, parts = get_origin(kind), get_args(kind)
    if origin is np.ndarray:
        return _OWN[np.ndarray]
    if origin is Literal:
        return {"enum": list(parts)}
    if origin in (Union, types.UnionType):
        return {"oneOf": [_of(part, defs) for part in parts]}
    if origin is tuple:
        if parts[-1] is Ellipsis:
            return {"type": "array", "items": _of(parts[0], defs)}
        return {"type": "array", "prefixItems": [_of(part, defs) for part in parts], "items": False}
    if origin in (dict, Mapping):
        return {"type": "object", "additionalProperties": _of(parts[1], defs)}
    if isinstance(kind, type) and issubclass(kind, enum.Enum):
        return {"enum": [member.value for member in kind]}
    if kind.__name__ not in defs:
        defs[kind.__name__] = {}  # it may hold itself
        defs[kind.__name__] = _of_class(kind, defs)
    return {"$ref": f"#/$defs/{kind.__name__}"}


def _of_class(kind: type, defs: dict[str, Any]) -> dict[str, Any]:
    hints = get_type_hints(kind)
    names = [field.name for field in dataclasses.fields(kind)]
    return {"type": "object", "required": names, "properties": {name: _of(hints[name], defs) for name in names}}
