"""What can be done here about each file of a finding that is to be fixed."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace
from types import MappingProxyType

from deep_tally.model.delivery import SongSet
from deep_tally.model.findings import Action, EvidenceValue, Finding
from deep_tally.model.mend import Mend

_Evidence = Mapping[str, EvidenceValue]


def _number(evidence: _Evidence, key: str) -> float | None:
    value = evidence.get(key)
    return float(value) if isinstance(value, (int, float)) else None


def _word(evidence: _Evidence, key: str) -> str:
    return str(evidence.get(key, ""))


def _place(by: str) -> Callable[[Finding, _Evidence, SongSet], Mend]:
    return lambda finding, evidence, song: Mend("place", {"frames": _number(evidence, "offset_frames"), "by": by})


def _pad(finding: Finding, evidence: _Evidence, song: SongSet) -> Mend:
    return Mend("pad", {"to_s": song.common.seconds, "until": "common"})


def _pad_to_longest(finding: Finding, evidence: _Evidence, song: SongSet) -> Mend:
    lengths = [t.format.seconds for t in song.tracks if t.path in finding.files and t.format is not None]
    return Mend("pad", {"to_s": max(lengths), "until": "longest"})


def _trim(finding: Finding, evidence: _Evidence, song: SongSet) -> Mend:
    return Mend("trim", {"to_s": song.common.seconds})


def _turn_down(key: str) -> Callable[[Finding, _Evidence, SongSet], Mend]:
    return lambda finding, evidence, song: Mend("turn-down", {"db": _number(evidence, key)})


def _remove_offset(finding: Finding, evidence: _Evidence, song: SongSet) -> Mend:
    params: dict[str, float | str | None] = {"share": _number(evidence, "share")}
    if "share_before" in evidence:
        params |= {"share_before": _number(evidence, "share_before"), "from_frame": finding.places[0].frame}
    return Mend("remove-offset", params)


def _join(finding: Finding, evidence: _Evidence, song: SongSet) -> Mend:
    left, right = finding.files
    return Mend("join", {"left": left, "right": right})


def _rename(because: str) -> Callable[[Finding, _Evidence, SongSet], Mend]:
    return lambda finding, evidence, song: Mend("rename", {"because": because})


_MENDS: Mapping[str, Callable[[Finding, _Evidence, SongSet], Mend]] = MappingProxyType(
    {
        "start.at-sound": _place("hand"),
        "start.offset": _place("hand"),
        "start.stamp-differs": _place("stamp"),
        "length.short": _pad,
        "length.ends-differ": _pad_to_longest,
        "length.long": _trim,
        "clipping.over": _turn_down("set_db"),
        "headroom.hot": _turn_down("db"),
        "headroom.dc": _remove_offset,
        "channels.same": lambda finding, evidence, song: Mend("to-mono"),
        "channels.panned-mono": lambda f, evidence, song: Mend("to-mono", {"gain_db": _number(evidence, "gain_db")}),
        "channels.one-side": lambda f, evidence, song: Mend("to-mono", {"side": _word(evidence, "side")}),
        "channels.split-pair": _join,
        "channels.to-split": lambda finding, evidence, song: Mend("split"),
        "name.characters": _rename("characters"),
        "name.clash": _rename("clash"),
        "name.long": _rename("long"),
        "name.copy-mark": _rename("copy-mark"),
        "name.number-twice": _rename("number-twice"),
        "name.pattern": _rename("pattern"),
        "content.container": lambda f, evidence, song: Mend("save-as", {"containers": _word(evidence, "wanted")}),
    }
)


def with_mends(finding: Finding, song: SongSet) -> Finding:
    """The finding with what is done here about each of its files; nothing is where the client must act."""
    if finding.action is not Action.FIX:
        return finding
    mend = _MENDS[finding.code]
    return replace(finding, mends={path: mend(finding, finding.evidence_of(path), song) for path in finding.files})
