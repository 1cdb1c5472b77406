"""Our own data as JSON and back: nothing is lost, and nothing of another type is taken."""

from __future__ import annotations

import json
import math
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, Literal

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from deep_tally.model.brief import DEFAULT_BRIEF, Brief
from deep_tally.model.corrections import Corrections
from deep_tally.model.files import Role
from deep_tally.model.measures import OverviewLevel, Runs
from deep_tally.model.phrase import Phrase
from deep_tally.session.codec import Refused, decode, encode


@dataclass(frozen=True, kw_only=True)
class Sample:
    """One of each kind of value."""

    whole: int = 0
    real: float = 0.0
    text: str = ""
    truth: bool = False
    role: Role = Role.TRACKOUT
    word: Literal["a", "b"] = "a"
    path: Path = Path("x")
    packed: bytes = b""
    maybe: float | None = None
    some: tuple[float, ...] = ()
    pair: tuple[str, int] = ("", 0)
    counts: dict[int, int] = field(default_factory=dict)
    inside: tuple[Runs, ...] = ()


def through_json(value: Any, kind: Any) -> Any:
    return decode(json.loads(json.dumps(encode(value), allow_nan=False)), kind)


@given(
    st.builds(
        Sample,
        whole=st.integers(-(2**60), 2**60),
        real=st.floats(allow_nan=False),
        text=st.text(),
        truth=st.booleans(),
        role=st.sampled_from(Role),
        word=st.sampled_from(["a", "b"]),
        packed=st.binary(),
        maybe=st.none() | st.floats(allow_nan=False),
        some=st.lists(st.floats(allow_nan=False)).map(tuple),
        pair=st.tuples(st.text(), st.integers(0, 9)),
        counts=st.dictionaries(st.integers(0, 99), st.integers(0, 99)),
        inside=st.just((Runs(lengths={3: 4}),)),
    )
)
def test_what_is_written_is_what_is_read(sample: Sample) -> None:
    assert through_json(sample, Sample) == sample


def test_a_name_of_undecodable_bytes_survives() -> None:
    assert through_json(Sample(text="b\udcff.wav"), Sample).text == "b\udcff.wav"


def test_no_number_is_no_number_still() -> None:
    assert math.isnan(through_json(Sample(real=math.nan), Sample).real)


@pytest.mark.parametrize("kind", ["float16", "float32", "float64", "int64"])
def test_arrays_keep_their_numbers_shape_and_type(kind: str) -> None:
    values = np.array([[1, -2], [3, 4], [0, 7]]).astype(kind)
    level = OverviewLevel(bin_frames=240, low=values, high=values.T, rms=values[:0])
    back = through_json(level, OverviewLevel)
    for name in ("low", "high", "rms"):
        read, written = getattr(back, name), getattr(level, name)
        assert np.array_equal(read, written)
        assert read.dtype == written.dtype
        assert read.shape == written.shape


def test_phrases_keep_their_key_and_what_goes_into_them() -> None:
    inner = Phrase("sound.empty")
    said = Phrase("sentence", subject="a.wav", problem=inner, remedy=Phrase("clauses", parts=(inner, "x")))
    back = through_json(said, Phrase)
    assert (back, back.key, dict(back.params)) == (said, said.key, dict(said.params))
    assert back.params["problem"].key == "sound.empty"


def test_brief_and_corrections_are_written_as_their_own_documents() -> None:
    said = Corrections(roles={"a": Role.GROUP}, places={"b": -3}, levels={"c": (0.5, -0.5)})
    assert through_json(said, Corrections) == said
    assert through_json(DEFAULT_BRIEF, Brief) == DEFAULT_BRIEF


@pytest.mark.parametrize(
    ("name", "value"),
    [
        ("whole", 1.5),
        ("whole", True),
        ("whole", "1"),
        ("real", "1.0"),
        ("real", None),
        ("real", True),
        ("text", 3),
        ("truth", 1),
        ("role", "conductor"),
        ("word", "c"),
        ("path", 3),
        ("packed", "!"),
        ("packed", "AAAA"),
        ("some", 3),
        ("pair", ["", 0, 1]),
        ("counts", []),
        ("counts", {"x": 1}),
        ("inside", [{"lengths": {"1": "2"}}]),
    ],
)
def test_a_value_of_another_type_is_refused_with_its_place(name: str, value: object) -> None:
    with pytest.raises(Refused, match=name):
        decode({name: value}, Sample)


@pytest.mark.parametrize(
    "said",
    [
        {"type": "object", "shape": [1], "data": ""},
        {"type": "float16", "shape": [2], "data": encode(b"xx")},
        {"type": "float16", "shape": ["1"], "data": encode(b"xx")},
        {"type": "float16", "shape": [1]},
        3,
    ],
)
def test_arrays_that_are_none_are_refused(said: object) -> None:
    with pytest.raises(Refused):
        decode({"bin_frames": 1, "low": said, "high": said, "rms": said}, OverviewLevel)


def test_bytes_that_would_fill_the_memory_are_refused() -> None:
    with pytest.raises(Refused):
        decode({"packed": encode(bytes(1 << 27))}, Sample)


@pytest.mark.parametrize("said", ["x", {"say": "no such key", "with": {}}, {"say": "sentence", "with": {}}, {"say": 3}])
def test_phrases_that_are_none_are_refused(said: object) -> None:
    with pytest.raises(Refused):
        decode(said, Phrase)


def test_corrections_with_a_value_that_cannot_be_used_are_refused() -> None:
    with pytest.raises(Refused):
        decode({"roles": {"a": "conductor"}}, Corrections)
    with pytest.raises(Refused):
        decode([], Corrections)


def test_what_is_nested_without_end_is_refused() -> None:
    deep: Any = "x"
    for _ in range(100_000):
        deep = {"say": "clauses", "with": {"parts": [deep]}}
    with pytest.raises(Refused):
        decode(deep, Phrase)
