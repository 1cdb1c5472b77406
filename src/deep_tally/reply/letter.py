"""The reply as the client reads it: what was received, what is requested, what is fixed here, what was fine."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Mapping
from types import MappingProxyType

from deep_tally.model.delivery import Delivery, SongSet, Track
from deep_tally.model.files import Role
from deep_tally.model.findings import Action
from deep_tally.names.plan import in_family_order
from deep_tally.reply.action_words import readable
from deep_tally.reply.numbers import clock, count, depth, kilohertz, listed
from deep_tally.reply.page import Block, Page
from deep_tally.reply.picture import picture_of
from deep_tally.reply.requests import Request, group_requests
from deep_tally.reply.wording.speaker import Speaker

_PICTURES_PER_REQUEST = 12
_NO_PICTURE = ("name.", "rate.differs", "rate.off-brief", "depth.low", "depth.differs")
_NUMBER_WORDS = (
    "No",
    "One",
    "Two",
    "Three",
    "Four",
    "Five",
    "Six",
    "Seven",
    "Eight",
    "Nine",
    "Ten",
    "Eleven",
    "Twelve",
)


def write_letter(
    delivery: Delivery,
    *,
    engineer: str = "",
    client: str = "",
    left_out: frozenset[str] = frozenset(),
    renamed: Mapping[str, str] = MappingProxyType({}),
) -> Page:
    """The reply to a delivery.

    Parameters
    ----------
    delivery : Delivery
        Assessed.
    engineer, client : str
        Names for the greeting and the end; may be empty.
    left_out : frozenset of str
        Keys of the requests (`Task.key`) that are not to be asked.
    renamed : mapping of old to new name
        What the files are called in the ready copy, to be listed; none are when it is empty.
    """
    requests = [r for r in group_requests(delivery.findings) if r.task.key not in left_out]
    return Page(tuple(_blocks(delivery, requests, engineer.strip(), client.strip(), renamed)))


def _blocks(
    delivery: Delivery, requests: list[Request], engineer: str, client: str, renamed: Mapping[str, str]
) -> Iterator[Block]:
    speaker = Speaker(delivery)
    titles = [f"“{readable(t)}”" for s in delivery.sets if (t := s.facts.title)]
    yield Block("title", f"Your files for {listed(titles)}" if titles else "Your files")
    hello = f"Hello {client}," if client else "Hello,"
    copies = _copies_of_mixes(delivery)
    arrived = " ".join(_arrived(s, speaker, copies) for s in delivery.sets)
    yield Block("text", f"{hello} thank you for the files. {arrived}")
    wanted = [r for r in requests if r.task.kind == "request"]
    questions = [r for r in requests if r.task.kind == "question"]
    awaited = any(s.awaited for s in delivery.sets)
    yield Block("text", _opening(len(wanted), len(questions), unseen=_unseen(delivery), awaited=awaited))
    number = 0
    for heading, group in ((None, wanted), ("Questions", questions)):
        if group and heading:
            yield Block("section", heading)
        for request in group:
            number += 1
            yield from _request(request, number, delivery, speaker)
    yield from _awaited(delivery)
    yield from _fixed(delivery, speaker)
    yield from _fine(delivery, speaker)
    if renamed:
        yield Block("section", "What I call your files")
        yield Block(
            "text",
            "Your files keep their names. So that we talk about the same thing, this is what my copies are called:",
        )
        for old, new in renamed.items():
            yield Block("item", readable(f"{old} → {new}"))
    yield Block("text", f"Best wishes, {engineer}" if engineer else "Best wishes")


def _number_word(number: int, noun: str, plural: str | None = None) -> str:
    word = _NUMBER_WORDS[number] if number < len(_NUMBER_WORDS) else str(number)
    return f"{word} {noun if number == 1 else plural or noun + 's'}"


def _copies_of_mixes(delivery: Delivery) -> frozenset[str]:
    """The files that are a mix once more."""
    return frozenset(path for f in delivery.findings if f.code == "content.mix-copy" for path in f.files)


def _arrived(song: SongSet, speaker: Speaker, copies: frozenset[str]) -> str:
    tracks = song.assessed
    is_mix = bool(tracks) and all(t.role is Role.MIX for t in tracks)
    what = [_number_word(len(tracks), "mix", "mixes") if is_mix else _number_word(len(tracks), "track")]
    mixes = [t for t in song.with_role(Role.ROUGH_MIX) if t.path not in copies]
    if mixes:
        what.append("the rough mix" if len(mixes) == 1 else f"{len(mixes)} rough mixes")
    text = f"{' and '.join(what)} arrived"
    if speaker.has_several_songs:
        text = f"For “{readable(song.name)}”, {text[:1].lower()}{text[1:]}"
    formats = Counter(t.format.container.upper() for t in tracks if t.format is not None)
    if not formats:
        return f"{text}."
    common = song.common
    facts = [listed([name for name, _ in formats.most_common()])]
    if common.rate_hz:
        facts.append(
            f"mostly at {kilohertz(common.rate_hz)}" if _differ(tracks, "rate_hz") else kilohertz(common.rate_hz)
        )
    if common.sample_format:
        facts.append(depth(common.bits, common.sample_format))
    if common.seconds is not None:
        facts.append(f"{clock(common.seconds)} long")
    return f"{text}: {', '.join(facts)}."


def _differ(tracks: tuple[Track, ...], field: str) -> bool:
    return len({getattr(t.format, field) for t in tracks if t.format is not None}) > 1


def _unseen(delivery: Delivery) -> int:
    """How many files could not be checked here: the reply must not call them fine, nor ask for them."""
    return len({path for i in delivery.incomplete if i.what not in ("comparing", "matching") for path in i.files})


def _opening(requests: int, questions: int, *, unseen: int, awaited: bool = False) -> str:
    number = _NUMBER_WORDS[unseen].lower() if unseen < len(_NUMBER_WORDS) else str(unseen)
    yet = f"I still have to look at {number} of the files."
    if unseen and (requests or questions):
        return f"{yet} {_opening(requests, questions, unseen=0)}"
    if unseen:
        return f"{yet} So far I need nothing more."
    if not requests and not questions and awaited:
        return "Apart from what you are still sending, I have everything I need."
    if not requests and not questions:
        return "I have everything I need and can start mixing."
    needed = [f"{_number_word(requests, 'thing').lower()} from you"] if requests else []
    if questions:
        answers = "an answer" if questions == 1 else "answers"
        needed.append(f"{answers} to {_number_word(questions, 'question').lower()}")
    return f"Before I can start, I need {' and '.join(needed)}:"


def _request(request: Request, number: int, delivery: Delivery, speaker: Speaker) -> Iterator[Block]:
    yield Block("heading", readable(request.heading), number=number)
    tracks = {t.path: t for t in delivery.tracks}
    pictures = 0
    matters = []
    for finding in request.findings:
        matters.append(speaker.matter(finding))
        if not finding.files:
            yield Block("text", speaker.summary(finding))
        shared = len(finding.files) > 1 and not finding.by_file
        if shared:
            yield Block("text", readable(_sentence(speaker.evidence(finding))))
        for path in finding.files:
            name = readable(speaker.name(path))
            yield Block("item", name if shared else f"{name}: {readable(speaker.evidence(finding, path))}")
            picture = None
            if pictures < _PICTURES_PER_REQUEST and not finding.code.startswith(_NO_PICTURE):
                other = next((p for p in finding.files if p != path), None)
                picture = picture_of(finding, tracks[path], tracks.get(other or ""))
            if picture is not None:
                pictures += 1
                yield Block("picture", readable(picture.words), picture=picture)
    how = [*dict.fromkeys(m for m in matters if m), request.task.how]
    yield Block("text", " ".join(h for h in how if h))
    if request.task.check:
        yield Block("hint", request.task.check)


def _sentence(text: str) -> str:
    return f"{text[:1].upper()}{text[1:]}." if text else ""


def _awaited(delivery: Delivery) -> Iterator[Block]:
    """What the client has announced: not asked for, but not forgotten either."""
    several = len(delivery.sets) > 1
    lines = [f"{words} ({song.name})" if several else words for song in delivery.sets for words in song.awaited]
    if lines:
        yield Block("section", "What I'm waiting for")
        yield Block("text", "You wrote that this is still to come:")
        for line in lines:
            yield Block("item", readable(f"{line[:1].upper()}{line[1:]}"))


def _fixed(delivery: Delivery, speaker: Speaker) -> Iterator[Block]:
    fixes = [f for f in delivery.findings if f.action is Action.FIX]
    if not fixes:
        return
    tracks = {t.path: t for t in delivery.tracks}
    yield Block("section", "What I'll fix on my side (nothing for you to do)")
    for finding in fixes:
        names = listed([speaker.name(path) for path in finding.files])
        headline = speaker.headline(finding)
        yield Block("item", readable(f"{names}: {headline[:1].lower()}{headline[1:]}; I'll {speaker.mend(finding)}."))
        if finding.code == "clipping.over" and len(finding.files) == 1:
            picture = picture_of(finding, tracks[finding.files[0]])
            if picture is not None:
                yield Block("picture", readable(picture.words), picture=picture)


def _fine(delivery: Delivery, speaker: Speaker) -> Iterator[Block]:
    touched = {path for f in delivery.findings if f.action is not Action.NOTE or f.is_answered for path in f.files}
    asked = [t for s in delivery.sets for t in s.assessed]
    fine = [t for t in asked if t.path not in touched and t.measures is not None]
    if not fine:
        return
    yield Block("section", "What was fine")
    yield Block("text", f"{count(len(fine), 'file')} of {len(asked)} can go into the mix as they are:")
    names = {path: name for s in delivery.sets for path, name in s.names.items()}
    families: dict[str, list[str]] = {}
    for path in in_family_order([t.path for t in fine], names):
        family = names[path].family if path in names else "other"
        families.setdefault(family, []).append(speaker.name(path, ending=False))
    for family, files in families.items():
        yield Block("item", readable(f"{family[:1].upper()}{family[1:]}: {listed(files, most=24)}."))
