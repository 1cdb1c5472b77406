"""Our own data as JSON and back, type by type: what is written is what the dataclasses of `model` say.

Numbers that JSON has not (silence is -inf) are words: "inf", "-inf", "nan". Arrays and bytes are deflated and base64.
Reading is strict: a value of another type than the field's is refused, never bent.
"""

from __future__ import annotations

import base64
import enum
import json
import math
import zlib
from collections.abc import Callable, Mapping
from functools import lru_cache
from pathlib import Path
from typing import Any, TypeVar, get_origin

import numpy as np
from cattrs import Converter
from cattrs.errors import BaseValidationError

from deep_tally.model.brief import Brief
from deep_tally.model.corrections import Corrections
from deep_tally.model.phrase import Phrase
from deep_tally.session.corrections import corrections_document, corrections_from

T = TypeVar("T")

_ARRAY_BYTES_MOST = 1 << 26
_KINDS = frozenset({"float16", "float32", "float64", "int64"})
_NO_NUMBERS = {"inf": math.inf, "-inf": -math.inf, "nan": math.nan}


class Refused(Exception):
    """A value is not what its field says; `str()` is where it stands."""


def encode(value: object) -> Any:
    """What JSON can hold of a value of our own."""
    return _converter().unstructure(value)


def decode(data: object, kind: type[T]) -> T:
    """The value of our own that `encode` made `data` of.

    Raises
    ------
    Refused
        A value is missing or of another type.
    """
    try:
        return _converter().structure(data, kind)
    except RecursionError as error:
        raise Refused("it is nested too deeply") from error
    except Exception as error:  # what hooks and constructors raise is as many-sided as what can stand in a file
        raise Refused(_where(error)) from error


@lru_cache(maxsize=1)
def _converter() -> Converter:
    made = Converter(detailed_validation=True, prefer_attrib_converters=False)
    for kind in (int, float, str, bool):
        made.register_structure_hook(kind, _PLAIN[kind])
    made.register_unstructure_hook(float, _number)
    made.register_unstructure_hook(bytes, _packed)
    made.register_structure_hook(bytes, lambda data, _: _unpacked(data))
    made.register_unstructure_hook(Path, str)
    made.register_structure_hook(Path, lambda data, _: Path(_text(data, str)))
    made.register_unstructure_hook_func(_is_array, _array)
    made.register_structure_hook_func(_is_array, lambda data, _: _from_array(data))
    made.register_unstructure_hook(np.ndarray, _array)
    made.register_unstructure_hook(Phrase, _phrase)
    made.register_structure_hook(Phrase, lambda data, _: _from_phrase(data))
    made.register_unstructure_hook(Brief, lambda brief: brief.model_dump(mode="json", by_alias=True))
    made.register_structure_hook(Brief, lambda data, _: Brief.model_validate_json(json.dumps(data)))
    made.register_unstructure_hook(Corrections, corrections_document)
    made.register_structure_hook(Corrections, lambda data, _: _corrections(data))
    made.register_structure_hook_func(_is_mapping, _mapping_hook(made))
    return made


# -- plain values -----------------------------------------------------------------------------


def _text(data: object, _: object) -> str:
    if not isinstance(data, str):
        raise TypeError("no text")
    return data


def _whole(data: object, _: object) -> int:
    if not isinstance(data, int) or isinstance(data, bool):
        raise TypeError("no whole number")
    return data


def _real(data: object, _: object) -> float:
    if isinstance(data, str) and data in _NO_NUMBERS:
        return _NO_NUMBERS[data]
    if not isinstance(data, int | float) or isinstance(data, bool):
        raise TypeError("no number")
    return float(data)


def _truth(data: object, _: object) -> bool:
    if not isinstance(data, bool):
        raise TypeError("neither true nor false")
    return data


_PLAIN: Mapping[type, Callable[[object, object], object]] = {int: _whole, float: _real, str: _text, bool: _truth}


def _number(value: float) -> float | str:
    if math.isfinite(value):
        return float(value)
    return "nan" if math.isnan(value) else "inf" if value > 0 else "-inf"


def _is_mapping(kind: Any) -> bool:
    return get_origin(kind) in (dict, Mapping)


def _mapping_hook(converter: Converter) -> Callable[[Any, Any], dict[Any, Any]]:
    """JSON's keys are texts: those of a mapping of numbers are written as such."""

    def structure(data: Any, kind: Any) -> dict[Any, Any]:
        of_key, of_value = kind.__args__
        if not isinstance(data, dict):
            raise TypeError("no object")
        return {(int(k) if of_key is int else k): converter.structure(v, of_value) for k, v in data.items()}

    return structure


# -- our own kinds ----------------------------------------------------------------------------


def _packed(data: bytes) -> str:
    return base64.b64encode(zlib.compress(data, 6)).decode("ascii")


def _unpacked(data: object) -> bytes:
    packed = base64.b64decode(_text(data, str), validate=True)
    unpack = zlib.decompressobj()
    plain = unpack.decompress(packed, _ARRAY_BYTES_MOST)
    if unpack.unconsumed_tail or not unpack.eof:
        raise ValueError("too large, or cut short")
    return plain


def _is_array(kind: Any) -> bool:
    return kind is np.ndarray or get_origin(kind) is np.ndarray


def _array(values: np.ndarray[Any, Any]) -> dict[str, Any]:
    little = np.ascontiguousarray(values, values.dtype.newbyteorder("<"))
    return {"type": values.dtype.name, "shape": list(values.shape), "data": _packed(little.tobytes())}


def _from_array(data: object) -> np.ndarray[Any, Any]:
    if not isinstance(data, dict) or data.get("type") not in _KINDS:
        raise TypeError("no array")
    kind = np.dtype(data["type"]).newbyteorder("<")
    shape = tuple(_whole(n, int) for n in data["shape"])
    return np.frombuffer(_unpacked(data["data"]), kind).reshape(shape).astype(kind.newbyteorder("="))


def _phrase(said: Phrase) -> dict[str, Any]:
    return {"say": said.key, "with": {name: _said(value) for name, value in said.params.items()}}


def _said(value: Any) -> Any:
    if isinstance(value, Phrase):
        return _phrase(value)
    if isinstance(value, tuple | list):
        return [_said(each) for each in value]
    if isinstance(value, enum.Enum):
        return value.value
    return _number(value) if isinstance(value, float) else value


def _from_phrase(data: object) -> Phrase:
    if not isinstance(data, dict):
        raise TypeError("no phrase")
    return Phrase(_text(data["say"], str), **{str(k): _from_said(v) for k, v in data["with"].items()})


def _from_said(value: Any) -> Any:
    if isinstance(value, dict):
        return _from_phrase(value)
    return tuple(map(_from_said, value)) if isinstance(value, list) else value


def _corrections(data: object) -> Corrections:
    if not isinstance(data, dict):
        raise TypeError("no object")
    corrections, refused = corrections_from(data)
    if refused:
        raise ValueError(refused[0])
    return corrections


def _where(error: BaseException) -> str:
    """Where the first value that was refused stands, as far as that is known: "rounds, found, entries, path"."""
    steps: list[str] = []
    while isinstance(error, BaseValidationError):
        error = error.exceptions[0]
        steps += [str(getattr(note, "name", "")) for note in getattr(error, "__notes__", ()) if hasattr(note, "name")]
    return ", ".join(filter(None, steps)) or "its contents"
