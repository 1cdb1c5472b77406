"""What can be done here about each file of a finding that is to be fixed."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace
from types import MappingProxyType

from deep_tally.model.delivery import SongSet
from deep_tally.model.findings import Action, EvidenceValue, Finding
from deep_tally.model.mend import Mend

_Evidence = Mapping[str, EvidenceValue]
_Mender = Callable[[_Evidence], Mend]
_Maker = Callable[[Finding, SongSet], _Mender]


def _number(evidence: _Evidence, key: str) -> float | None:
    value = evidence.get(key)
    return float(value) if isinstance(value, (int, float)) else None


def _word(evidence: _Evidence, key: str) -> str:
    return str(evidence.get(key, ""))


def _place_as_known(finding: Finding, song: SongSet) -> _Mender:
    return lambda e: Mend("place", {"frames": _number(e, "offset_frames"), "by": _word(e, "by") or "hand"})


def _place(by: str) -> _Maker:
    return lambda finding, song: lambda e: Mend("place", {"frames": _number(e, "offset_frames"), "by": by})


def _pad(finding: Finding, song: SongSet) -> _Mender:
    return lambda evidence: Mend("pad", {"to_s": song.common.seconds, "until": "common"})


def _pad_to_longest(finding: Finding, song: SongSet) -> _Mender:
    paths = frozenset(finding.files)
    longest_s = max(t.format.seconds for t in song.tracks if t.path in paths and t.format is not None)
    return lambda evidence: Mend("pad", {"to_s": longest_s, "until": "longest"})


def _trim(finding: Finding, song: SongSet) -> _Mender:
    return lambda evidence: Mend("trim", {"to_s": song.common.seconds})


def _turn_down(key: str) -> _Maker:
    return lambda finding, song: lambda evidence: Mend("turn-down", {"db": _number(evidence, key)})


def _remove_offset(finding: Finding, song: SongSet) -> _Mender:
    def mend(evidence: _Evidence) -> Mend:
        params: dict[str, float | str | None] = {"share": _number(evidence, "share")}
        if "share_before" in evidence:
            params |= {"share_before": _number(evidence, "share_before"), "from_frame": finding.places[0].frame}
        return Mend("remove-offset", params)

    return mend


def _join(finding: Finding, song: SongSet) -> _Mender:
    left, right = finding.files
    return lambda evidence: Mend("join", {"left": left, "right": right})


def _keep_one(finding: Finding, song: SongSet) -> _Mender:
    left, right = finding.files
    return lambda evidence: Mend("keep-one", {"kept": left, "left_out": right})


def _rename(because: str) -> _Maker:
    return lambda finding, song: lambda evidence: Mend("rename", {"because": because})


_MENDS: Mapping[str, _Maker] = MappingProxyType(
    {
        "start.at-sound": _place_as_known,
        "start.offset": _place_as_known,
        "start.stamp-differs": _place("stamp"),
        "length.short": _pad,
        "length.ends-differ": _pad_to_longest,
        "length.long": _trim,
        "clipping.over": _turn_down("set_db"),
        "headroom.hot": _turn_down("db"),
        "headroom.normalised": lambda finding, song: lambda e: Mend("set-level", {"db": _number(e, "mix_db")}),
        "headroom.dc": _remove_offset,
        "channels.same": lambda finding, song: lambda evidence: Mend("to-mono"),
        "channels.panned-mono": lambda finding, song: lambda e: Mend("to-mono", {"gain_db": _number(e, "gain_db")}),
        "channels.one-side": lambda finding, song: lambda e: Mend("to-mono", {"side": _word(e, "side")}),
        "channels.pair-same": _keep_one,
        "channels.split-pair": _join,
        "channels.to-split": lambda finding, song: lambda evidence: Mend("split"),
        "name.characters": _rename("characters"),
        "name.clash": _rename("clash"),
        "name.long": _rename("long"),
        "name.copy-mark": _rename("copy-mark"),
        "name.number-twice": _rename("number-twice"),
        "name.pattern": _rename("pattern"),
        "content.container": lambda finding, song: lambda e: Mend("save-as", {"containers": _word(e, "wanted")}),
    }
)
"""For each code: from a finding and its song, what is done about a file with such evidence. What the files share is
worked out once, however many they are."""


def with_mends(finding: Finding, song: SongSet) -> Finding:
    """The finding with what is done here about each of its files; nothing is where the client must act."""
    if finding.action is not Action.FIX:
        return finding
    mend = _MENDS[finding.code](finding, song)
    return replace(finding, mends={path: mend(finding.evidence_of(path)) for path in finding.files})
