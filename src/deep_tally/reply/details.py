"""The letter's second part: what was received; each request with evidence, why, how, and how to see that it worked."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Mapping, Sequence

from deep_tally.model.brief import Brief
from deep_tally.model.delivery import Delivery, SongSet, Track
from deep_tally.model.files import Role
from deep_tally.model.findings import Action
from deep_tally.model.language import gettext as _
from deep_tally.model.language import ngettext
from deep_tally.names.plan import in_family_order
from deep_tally.reply.action_words import readable
from deep_tally.reply.first_part import is_fine
from deep_tally.reply.numbers import clock, count, depth, kilohertz, listed
from deep_tally.reply.page import Block
from deep_tally.reply.picture import picture_of
from deep_tally.reply.requests import Request
from deep_tally.reply.wording.speaker import Speaker

_PICTURES_PER_REQUEST = 12
_NO_PICTURE = ("name.", "rate.differs", "rate.off-brief", "depth.low", "depth.differs")


def details(delivery: Delivery, requests: Sequence[Request], brief: Brief) -> Iterator[Block]:
    """Its blocks, from the heading on; `requests` are those that are asked."""
    speaker = Speaker(delivery)
    yield Block("section", _("Details"), key="details")
    copies = _copies_of_mixes(delivery)
    yield Block("text", " ".join(_arrived(s, speaker, copies) for s in delivery.sets), key="arrived")
    for request in requests:
        yield from _request(request, delivery, speaker, brief)
    yield from _awaited(delivery)
    yield from _fixed(delivery, speaker)
    yield from _fine(delivery, speaker)


def new_names(renamed: Mapping[str, str]) -> Iterator[Block]:
    """What the files are called in the ready copy, where the user wants that said, however short the letter is."""
    if not renamed:
        return
    yield Block("section", _("What I call your files"), key="names")
    how = _("Your files keep their names. So that we talk about the same thing, this is what my copies are called:")
    yield Block("text", how, key="names:how")
    for old, new in renamed.items():
        yield Block("item", readable(f"{old} → {new}"), key=f"names:{old}")


def _copies_of_mixes(delivery: Delivery) -> frozenset[str]:
    """The files that are a mix once more."""
    return frozenset(path for f in delivery.findings if f.code == "content.mix-copy" for path in f.files)


def _arrived(song: SongSet, speaker: Speaker, copies: frozenset[str]) -> str:
    tracks = song.assessed
    is_mix = bool(tracks) and all(t.role is Role.MIX for t in tracks)
    what = [count(len(tracks), "mix", "mixes") if is_mix else count(len(tracks), "track", "tracks")]
    mixes = [t for t in song.with_role(Role.ROUGH_MIX) if t.path not in copies]
    if mixes:
        what.append(_("the rough mix") if len(mixes) == 1 else count(len(mixes), "rough mix", "rough mixes"))
    text = _("Arrived for “{song}”: {what}") if speaker.has_several_songs else _("Arrived: {what}")
    text = text.format(song=readable(song.name), what=listed(what))
    formats = Counter(t.format.container.upper() for t in tracks if t.format is not None)
    if not formats:
        return f"{text}."
    common = song.common
    facts = [listed([name for name, _ in formats.most_common()])]
    if common.rate_hz:
        rate = kilohertz(common.rate_hz)
        facts.append(_("mostly at {rate}").format(rate=rate) if _differ(tracks, "rate_hz") else rate)
    if common.sample_format:
        facts.append(depth(common.bits, common.sample_format))
    if common.seconds is not None:
        facts.append(_("{time} long").format(time=clock(common.seconds)))
    return f"{text}; {', '.join(facts)}."


def _differ(tracks: tuple[Track, ...], field: str) -> bool:
    return len({getattr(t.format, field) for t in tracks if t.format is not None}) > 1


def _request(request: Request, delivery: Delivery, speaker: Speaker, brief: Brief) -> Iterator[Block]:
    key = f"details:{request.task.key}"
    yield Block("heading", readable(request.heading), key=key)
    tracks = {t.path: t for t in delivery.tracks}
    lengths = {t.path: s.end_s for s in delivery.sets for t in s.tracks}
    pictures = 0
    matters = []
    for finding in request.findings:
        matters.append(speaker.matter(finding))
        if not finding.files:
            yield Block("text", speaker.summary(finding), key=f"{key}:{finding.code}")
        shared = len(finding.files) > 1 and not finding.by_file
        if shared:
            yield Block("text", readable(_sentence(speaker.evidence(finding))), key=f"{key}:{finding.code}")
        for path in finding.files:
            name = readable(speaker.name(path))
            said = name if shared else f"{name}: {readable(speaker.evidence(finding, path))}"
            yield Block("item", said, key=f"{key}:{finding.code}:{path}")
            picture = None
            if pictures < _PICTURES_PER_REQUEST and not finding.code.startswith(_NO_PICTURE):
                other = next((p for p in finding.files if p != path), None)
                picture = picture_of(
                    finding,
                    tracks[path],
                    tracks.get(other or ""),
                    song_s=lengths[path],
                    window_dbfs=brief.peak_window_dbfs,
                )
            if picture is not None:
                pictures += 1
                yield Block(
                    "picture", readable(picture.words), picture=picture, key=f"{key}:{finding.code}:{path}:picture"
                )
    how = [*dict.fromkeys(m for m in matters if m), _(request.task.how)]
    yield Block("text", " ".join(h for h in how if h), key=f"{key}:how")
    if request.task.check:
        yield Block("hint", _(request.task.check), key=f"{key}:check")


def _sentence(text: str) -> str:
    return f"{text[:1].upper()}{text[1:]}." if text else ""


class _InSentence(str):
    """Words that stand in the middle of a sentence: `{x:small}` begins them with a small letter.

    A language whose nouns have capitals leaves that out.
    """

    def __format__(self, spec: str) -> str:
        return f"{self[:1].lower()}{self[1:]}" if spec == "small" else format(str(self), spec)


def _awaited(delivery: Delivery) -> Iterator[Block]:
    """What the client has announced: not asked for, but not forgotten either."""
    several = len(delivery.sets) > 1
    lines = [f"{words} ({song.name})" if several else words for song in delivery.sets for words in song.awaited]
    if lines:
        yield Block("section", _("What I'm waiting for"), key="awaited")
        yield Block("text", _("You wrote that this is still to come:"), key="awaited:how")
        for line in lines:
            yield Block("item", readable(f"{line[:1].upper()}{line[1:]}"), key=f"awaited:{line}")


def _fixed(delivery: Delivery, speaker: Speaker) -> Iterator[Block]:
    fixes = [f for f in delivery.findings if f.action is Action.FIX]
    if not fixes:
        return
    tracks = {t.path: t for t in delivery.tracks}
    yield Block("section", _("What I'll fix on my side (nothing for you to do)"), key="fixed")
    for finding in fixes:
        names = listed([speaker.name(path) for path in finding.files])
        line = _("{files}: {fault:small}; I'll {mend}.")
        fault = _InSentence(speaker.headline(finding))
        said = readable(line.format(files=names, fault=fault, mend=speaker.mend(finding)))
        yield Block("item", said, key=f"fixed:{finding.code}:{names}")
        if finding.code == "clipping.over" and len(finding.files) == 1:
            picture = picture_of(finding, tracks[finding.files[0]])
            if picture is not None:
                yield Block("picture", readable(picture.words), picture=picture)


def _fine(delivery: Delivery, speaker: Speaker) -> Iterator[Block]:
    asked = [t for s in delivery.sets for t in s.assessed]
    fine = [t for t in asked if is_fine(t.path, delivery) and t.measures is not None]
    if not fine:
        return
    yield Block("section", _("What was fine"), key="fine")
    how = ngettext(
        "{number} file of {all} can go into the mix as it is:",
        "{number} files of {all} can go into the mix as they are:",
        len(fine),
        all=len(asked),
    )
    yield Block("text", how, key="fine:how")
    names = {path: name for s in delivery.sets for path, name in s.names.items()}
    families: dict[str, list[str]] = {}
    for path in in_family_order([t.path for t in fine], names):
        family = names[path].family if path in names else "other"
        families.setdefault(family, []).append(speaker.name(path, ending=False))
    for family, files in families.items():
        called = _(family)
        yield Block(
            "item", readable(f"{called[:1].upper()}{called[1:]}: {listed(files, most=24)}."), key=f"fine:{family}"
        )
