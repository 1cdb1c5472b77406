"""The letter's first part: what the client can act on without asking back, and nothing else.

One box of files to export again, each with its reason; then questions to answer with a word; then what is wanted only
if it exists; then how much is fine. All else is in the details.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace

from deep_tally.model.brief import Brief
from deep_tally.model.delivery import Delivery
from deep_tally.model.findings import Action
from deep_tally.model.language import gettext as _
from deep_tally.model.language import ngettext
from deep_tally.model.rounds import Rounds
from deep_tally.reply.action_words import readable
from deep_tally.reply.edits import AGAIN
from deep_tally.reply.letter_options import LetterOptions
from deep_tally.reply.numbers import clock, kilohertz, listed
from deep_tally.reply.page import Block
from deep_tally.reply.reasons import QUESTIONS, WORDS_MOST, reason_words
from deep_tally.reply.requests import Request
from deep_tally.reply.short_names import cut, short_names
from deep_tally.reply.wording.speaker import Speaker

WORDS_ALLOWED, WORDS_FOR_EACH = 120, 20
"""In all, and for each file that is to be exported again."""
_TITLES_MOST, _NAMES_MOST, _NAME_WORDS, _RIGHT_MOST = 2, 3, 6, 4


@dataclass(frozen=True, slots=True)
class _Again:
    """A file to be exported again, and why."""

    path: str
    reasons: tuple[str, ...]
    since: str = ""
    """In a further round: whether that is so still, or is new."""


def first_part(
    delivery: Delivery, requests: Sequence[Request], brief: Brief, options: LetterOptions
) -> Iterator[Block]:
    """Its blocks; `requests` are those that are asked."""
    names = short_names(delivery)
    left_out = {k.removeprefix(AGAIN) for k in options.edits.left_out}
    wanted = _files_again(delivery, [r for r in requests if r.task.place == "again"])
    again = [file for file in wanted if file.path not in left_out]
    known = _known_reasons(delivery, options.rounds)
    again = [replace(file, since=known.get(file.path, "")) for file in again]
    before = [
        *_greeting(delivery, options),
        *_met(delivery, options.rounds, names),
        *_box(delivery, again, requests, brief, names),
    ]
    are_all = _are_all(delivery, again)
    state = _state(delivery, are_all=are_all)
    after = [*_wanted(requests), *state, *_farewell(len(again), options, are_all=are_all)]
    questions = [_question(r, delivery, names) for r in requests if r.task.place == "answer"]
    allowed = WORDS_ALLOWED + WORDS_FOR_EACH * len(again)
    yield from before
    if not requests:
        yield Block("text", _all_there(delivery), key="all-there")
    yield from _questions(questions, allowed - _words([*before, *after]))
    yield from after


def _words(blocks: Sequence[Block]) -> int:
    """As plain text has them, with numbers, dashes and the line under the title."""
    signs = ("title", "item", "question")
    return sum(len(block.text.split()) + (block.kind in signs) for block in blocks)


def _greeting(delivery: Delivery, options: LetterOptions) -> Iterator[Block]:
    titles = [_("“{title}”").format(title=readable(cut(title))) for s in delivery.sets if (title := s.facts.title)]
    about = listed(titles, most=_TITLES_MOST + 1)
    yield Block("title", _("Your files for {song}").format(song=about) if titles else _("Your files"), key="title")
    name = readable(options.edits.client.strip())
    if options.edits.greeting.strip():
        yield Block("text", readable(options.edits.greeting.strip()), key="greeting")
        return
    if options.rounds is not None:
        spoken = {
            "brief": (_("Hi {name}, thanks for the new files."), _("Hi, thanks for the new files.")),
            "friendly": (
                _("Hello {name}, thank you for the new files."),
                _("Hello, thank you for the new files."),
            ),
            "formal": (
                _("Dear {name}, thank you for sending the new files."),
                _("Good day, thank you for sending the new files."),
            ),
        }[options.tone]
    else:
        spoken = {
            "brief": (_("Hi {name},"), _("Hi,")),
            "friendly": (_("Hello {name}, thank you for the files."), _("Hello, thank you for the files.")),
            "formal": (
                _("Dear {name}, thank you for sending the files."),
                _("Good day, thank you for sending the files."),
            ),
        }[options.tone]
    yield Block("text", spoken[0].format(name=name) if name else spoken[1], key="greeting")


def _met(delivery: Delivery, rounds: Rounds | None, names: Mapping[str, str]) -> Iterator[Block]:
    """The files that are fine now; one that is asked for again for another reason is not called so."""
    if rounds is None:
        return
    asked = {path for f in delivery.findings if f.action is Action.ASK for path in f.files}
    right = dict.fromkeys(
        file.path
        for request in rounds.requests
        for was in request.files
        if was not in request.left
        for file in rounds.files
        if file.was == was and file.state != "gone" and file.path not in asked
    )
    if right:
        listed_names = listed([cut(names.get(p, p), _NAME_WORDS) for p in right], most=_RIGHT_MOST)
        text = ngettext("{files} is fine now.", "{files} are fine now.", len(right), files=listed_names)
        yield Block("text", text, key="met")


def _files_again(delivery: Delivery, requests: Sequence[Request]) -> list[_Again]:
    """In the order of songs and files; a request about no file in particular is about all of its song."""
    speaker = Speaker(delivery)
    reasons: dict[str, list[str]] = defaultdict(list)
    for request in requests:
        for finding in request.findings:
            for path in finding.files or _all_of(delivery, finding.song):
                words = reason_words(speaker.facts(finding, path))
                if words not in reasons[path]:
                    reasons[path].append(words)
    order = [t.path for s in delivery.sets for t in s.tracks]
    return [_Again(path, tuple(reasons[path])) for path in order if path in reasons]


def _all_of(delivery: Delivery, song: str) -> tuple[str, ...]:
    sets = [s for s in delivery.sets if s.name == song] or delivery.sets
    return tuple(t.path for s in sets for t in s.assessed)


def _box(
    delivery: Delivery, again: Sequence[_Again], requests: Sequence[Request], brief: Brief, names: Mapping[str, str]
) -> Iterator[Block]:
    if again:
        are_all = _are_all(delivery, again)
        if are_all:
            heading = _("Please export all {number} files again, in one go.").format(number=len(again))
        else:
            heading = ngettext(
                "Please export this file again.", "Please export these {number} files again, in one go.", len(again)
            )
        yield Block("heading", heading, key="again")
        yield Block("text", " ".join(_how(delivery, again, requests, brief)), key="how")
        yield from _reasons(again, names, are_all=are_all)
    yield from _sent_too(requests)


def _are_all(delivery: Delivery, again: Sequence[_Again]) -> bool:
    """Whether every file is to be exported again, of several."""
    everything = {t.path for s in delivery.sets for t in s.assessed}
    return len(everything) > 1 and everything <= {file.path for file in again}


def _how(delivery: Delivery, again: Sequence[_Again], requests: Sequence[Request], brief: Brief) -> Iterator[str]:
    """The one setting for all of them."""
    keys = {r.task.key for r in requests}
    several = len(again) > 1
    if "whole-bars" in keys:
        yield _("Each one as a whole number of bars.") if several else _("As a whole number of bars.")
    elif several:
        yield _("Each one from the song's start to after the last sound.")
    else:
        yield _("From the song's start to after the last sound.")
    settings = ["WAV", _bits(brief), _rate(delivery, {file.path for file in again}, keys)]
    if brief.printed.main_output_chain == "out":
        settings.append(_("nothing on the main output"))
    yield f"{', '.join(settings)}."


def _bits(brief: Brief) -> str:
    if "int" not in brief.sample_formats:
        return _("32 bit float")
    return _("{bits} bit").format(bits=max(24, brief.bits_min))


def _rate(delivery: Delivery, paths: set[str], keys: set[str]) -> str:
    songs = [s for s in delivery.sets if any(t.path in paths for t in s.tracks)]
    rates = {s.common.rate_hz for s in songs}
    rate = rates.pop() if len(rates) == 1 else None
    if rate and "is-rate" not in keys:
        return kilohertz(rate)
    return _("at the song's own sample rate")


def _reasons(again: Sequence[_Again], names: Mapping[str, str], *, are_all: bool) -> Iterator[Block]:
    """A line for each file; what is the matter with all of them is said once."""
    shared = [r for r in again[0].reasons if all(r in file.reasons for file in again)] if are_all else []
    for reason in shared[:2]:
        yield Block("item", _("Every file: {reason}").format(reason=reason), key="again:all")
    for file in again:
        own = [r for r in file.reasons if r not in shared]
        if own or not shared:
            since = f", {file.since}" if file.since else ""
            yield Block("item", f"{names[file.path]}{since}: {_joined(own)}", key=f"again:{file.path}")


def _known_reasons(delivery: Delivery, rounds: Rounds | None) -> dict[str, str]:
    """For the files of a further round: "still" where they were asked for before, "new" where they were not."""
    if rounds is None:
        return {}
    left = {was for request in rounds.requests for was in request.left}
    still = {file.path for file in rounds.files if file.was in left}
    new = {path for finding in rounds.new_findings if finding.action is Action.ASK for path in finding.files}
    return {**dict.fromkeys(new, _("new")), **dict.fromkeys(still, _("still"))}


def _joined(reasons: Sequence[str]) -> str:
    """As many as eight words hold, the one that blocks the mix first."""
    said = reasons[0]
    for reason in reasons[1:]:
        longer = f"{said}, {reason}"
        if len(longer.split()) <= WORDS_MOST:
            said = longer
    return said


def _sent_too(requests: Sequence[Request]) -> Iterator[Block]:
    for request in requests:
        if request.task.place != "send":
            continue
        missing = request.missing
        if request.task.key == "scope":
            wants_all = request.findings[0].evidence.get("scope") == "every-track"
            text = (
                _("Please export every track on its own.") if wants_all else _("Please send groups, not single tracks.")
            )
            yield Block("text", text, key=request.task.key)
        elif missing:
            parts = readable(listed([cut(word, 4) for word in missing], most=6))
            yield Block("text", _("Please also send: {parts}.").format(parts=parts), key=request.task.key)


def _question(request: Request, delivery: Delivery, names: Mapping[str, str]) -> Block:
    one, many = QUESTIONS[request.task.key]
    finding = request.findings[0]
    paths = request.files
    files = listed([cut(names[path], _NAME_WORDS) for path in paths], most=_NAMES_MOST)
    partner = finding.evidence_of(paths[0]).get("partner") if paths else None
    facts = {"song": _("name"), "tempo": _("tempo"), "key": _("key"), "artist": _("artist")}
    missing = [facts.get(word, word) for word in request.missing]
    text = _(one if len(paths) == 1 else many).format(
        files=files,
        partner=names.get(str(partner), "") or _("another part"),
        time=clock(finding.number_of("", "start_s"), digits=0),
        missing=listed(missing),
    )
    return Block("question", f"{text[:1].upper()}{text[1:]}", key=f"question:{request.task.key}")


def _questions(questions: Sequence[Block], room: int) -> Iterator[Block]:
    """As many as there is room for, the most urgent first."""
    if not questions:
        return
    heading = ngettext("One question:", "{number} questions, a word each will do:", len(questions))
    more = _("I'll ask the rest once these are answered.")
    room -= len(heading.split()) + 1  # "first", where not all fit
    fitting: list[Block] = []
    for place, question in enumerate(questions):
        needed = len(question.text.split()) + 1 + (len(more.split()) if place + 1 < len(questions) else 0)
        if needed > room and fitting:
            break
        fitting.append(Block("question", question.text, number=place + 1, key=question.key))
        room -= len(question.text.split()) + 1
    if len(fitting) < len(questions):
        heading = ngettext("One question first:", "{number} questions first, a word each will do:", len(fitting))
    yield Block("heading", heading, key="questions")
    yield from fitting
    if len(fitting) < len(questions):
        yield Block("text", more, key="more-questions")


def _wanted(requests: Sequence[Request]) -> Iterator[Block]:
    """What helps where it exists."""
    things = []
    for request in requests:
        if request.task.key == "rough-mix":
            things.append(_("your rough mix (an MP3 will do)"))
        elif request.task.place == "if-any":
            things += request.missing
    if things:
        text = _("If you have it, please send {things}.").format(things=listed(things))
        yield Block("text", text, key="if-any")


def _all_there(delivery: Delivery) -> str:
    if any(s.awaited for s in delivery.sets):
        return _("Apart from what you are still sending, I have all I need.")
    return _("I have all I need and can start mixing.")


def _state(delivery: Delivery, *, are_all: bool) -> Iterator[Block]:
    """How much is fine, and what is mended here."""
    said = []
    checked = [t for s in delivery.sets for t in s.assessed]
    fine = sum(is_fine(t.path, delivery) for t in checked if t.measures is not None)
    if are_all:
        pass
    elif fine and fine == len(checked):
        said.append(ngettext("The file is fine as it is.", "All {number} files are fine as they are.", fine))
    elif fine:
        said.append(
            ngettext(
                "{number} of your {all} files is fine as it is.",
                "{number} of your {all} files are fine as they are.",
                fine,
                all=len(checked),
            )
        )
    mended = len({p for f in delivery.findings if f.action is Action.FIX for p in f.files})
    if mended:
        said.append(ngettext("I'll fix one file here.", "I'll fix {number} files here.", mended))
    unseen = len(unseen_files(delivery))
    if unseen:
        said.append(
            ngettext(
                "I still have to look at one of the files.", "I still have to look at {number} of the files.", unseen
            )
        )
    if any(s.awaited for s in delivery.sets):
        said.append(_("I'm waiting for what you are still sending."))
    if said:
        yield Block("text", " ".join(said), key="state")


def is_fine(path: str, delivery: Delivery) -> bool:
    """Whether a file is neither asked about, nor fixed, nor answered for already."""
    return not any(path in f.files and (f.action is not Action.NOTE or f.is_answered) for f in delivery.findings)


def unseen_files(delivery: Delivery) -> frozenset[str]:
    """What could not be checked here: a letter must not call it fine, nor ask for it."""
    return frozenset(p for i in delivery.incomplete if i.what not in ("comparing", "matching") for p in i.files)


def _farewell(again: int, options: LetterOptions, *, are_all: bool) -> Iterator[Block]:
    where, when = readable(options.edits.upload.strip()), readable(options.edits.deadline.strip())
    if again:
        only = ngettext(
            "Please send only this one, under the same name.", "Please send only these, under the same names.", again
        )
        yield Block("text", _("Please keep the file names.") if are_all else only, key="only-these")
    if where:
        yield Block("text", _("Upload: {place}").format(place=where), key="upload")
    if when:
        yield Block("text", _("I need them by {day}.").format(day=when), key="deadline")
    name = readable(options.engineer.strip())
    wishes = {"brief": _("Thanks"), "friendly": _("Best wishes"), "formal": _("Kind regards")}[options.tone]
    yield Block("text", f"{wishes}, {name}" if name else wishes, key="farewell")
    for number, line in enumerate(filter(None, (readable(part.strip()) for part in options.signature.splitlines()))):
        yield Block("text", line, key=f"signature:{number}")
