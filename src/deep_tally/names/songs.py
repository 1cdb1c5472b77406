"""Which files belong to one song? By folder and by the beginning that names share."""

from __future__ import annotations

import re
from collections import Counter, defaultdict
from collections.abc import Sequence
from dataclasses import replace

from deep_tally.model.files import Entry, Role
from deep_tally.names.facts import tempo_in, title_of
from deep_tally.names.segments import segments_of
from deep_tally.names.vocabulary import shipped
from deep_tally.names.words import bare_stem, stem_of, words_of

_LEAST = 3
_SEPARATOR = re.compile(r"\s+[-–—]\s+|_+|\s*\|\s*")
# Folders that sort one song's files, in English and German: plain words of the trade.
_SORTING_WORDS = frozenset(
    """drums drum percussion perc bass basses guitar guitars gtr gtrs acoustic electric keys keyboard keyboards synth
    synths piano organ strings brass winds woodwinds horns orchestra vocals vocal vox voice voices backing
    backings bgv lead leads choir fx effects sfx loops pads group groups submix submixes bus buses stem stems
    wet dry mono stereo raw audio file files track tracks trackout trackouts multitrack multitracks wav wave
    wavs aiff flac mp midi notes doc docs documents info text reference references ref refs click mix mixes
    rough mixdown master masters export exports exported bounce bounces printed print send returns return new
    old final version extra extras other misc various consolidated session recording recordings lossless hd
    bit khz k hz and the of for schlagzeug bässe gitarre gitarren tasten klavier streicher bläser stimme
    stimmen gesang chor effekte spur spuren gruppe gruppen mischung dokumente und""".split()
)


def group_songs(entries: Sequence[Entry], delivery_name: str) -> list[Entry]:
    """Give every entry its song.

    A folder is a song of its own when it holds at least three files to mix and something says so: its name states a
    tempo, a mix lies in it, or parts of the same names lie in another folder and hardly any outside of such folders.
    Folders that only sort (Drums, Vocals, 48k) never are. Within a folder, names may begin with two songs' titles.
    """
    folders: defaultdict[tuple[str, ...], list[Entry]] = defaultdict(list)
    for entry in entries:
        if entry.role.is_assessed:
            folders[_song_folder(entry.path)].append(entry)
    songs = {folder for folder in folders if _is_song(folder, folders, entries)}
    if len(songs) == 1 and songs == set(folders):
        # All there is lies in one folder that names its song: what it was packed in says less.
        within = next(iter(songs))[-1].removesuffix(".zip")
        says_more = tempo_in(within) is not None or title_of(delivery_name) is None
        delivery_name = within if title_of(within) and says_more else delivery_name
    if len(songs) < 2 and not (songs and len(folders[()]) >= _LEAST):
        songs = set()
    last = Counter(folder[-1] for folder in songs)
    named = {f: (f[-1] if last[f[-1]] == 1 else " / ".join(f)).removesuffix(".zip") for f in songs}
    if songs and len(folders[()]) >= _LEAST:
        songs.add(())
        named[()] = delivery_name
    homes = {e.path: _home(_folders(e.path), songs) for e in entries}
    placed = [replace(e, song=named[home] if (home := homes[e.path]) is not None else "") for e in entries]
    if not songs:
        whole = [replace(e, song=delivery_name) for e in entries]
        return _by_tempos(whole, delivery_name) or _by_beginnings(whole)
    return _seat_rest(placed)


def _folders(path: str) -> tuple[str, ...]:
    return tuple(path.split("/")[:-1])


def _song_folder(path: str) -> tuple[str, ...]:
    """A file's folders up to the last that does more than sort."""
    folders = _folders(path)
    while folders and _only_sorts(folders[-1]):
        folders = folders[:-1]
    return folders


def _only_sorts(folder: str) -> bool:
    return set(words_of(folder)) <= _SORTING_WORDS


def _home(folders: tuple[str, ...], songs: set[tuple[str, ...]]) -> tuple[str, ...] | None:
    return next((folders[:n] for n in range(len(folders), -1, -1) if folders[:n] in songs), None)


def _is_song(folder: tuple[str, ...], folders: dict[tuple[str, ...], list[Entry]], entries: Sequence[Entry]) -> bool:
    mine = folders[folder]
    if not folder or len(mine) < _LEAST:
        return False
    if tempo_in(folder[-1]) is not None:
        return True
    if any(e.role is Role.ROUGH_MIX and _folders(e.path)[: len(folder)] == folder for e in entries):
        return True
    # Where parts lie beside such folders too, they hold two singers or two takes of one song.
    names = {bare_stem(e.path) for e in mine}
    return len(folders.get((), ())) < _LEAST and any(
        names & {bare_stem(e.path) for e in others}
        for other, others in folders.items()
        if other != folder and len(others) >= _LEAST
    )


def _by_tempos(entries: list[Entry], delivery_name: str) -> list[Entry]:
    """Split files that state one of several tempos, where nearly all do; half and double tempo are one."""
    stated = {e.path: bpm for e in entries if e.role.is_audio and (bpm := tempo_in(stem_of(e.path))) is not None}
    counted = Counter(stated[e.path] for e in entries if e.role.is_assessed and e.path in stated)
    silent = sum(e.role.is_assessed and e.path not in stated for e in entries)
    tempos = sorted(counted)
    if len(tempos) < 2 or min(counted.values()) < _LEAST or silent >= _LEAST:
        return []
    if any(other == 2 * one for one in tempos for other in tempos):
        return []
    songs = {bpm: f"{delivery_name} {bpm:g} BPM" for bpm in tempos}
    return _seat_rest([replace(e, song=songs.get(stated.get(e.path, 0.0), "")) for e in entries])


def _beginning(path: str) -> str | None:
    parts = _SEPARATOR.split(path.rpartition("/")[2].rpartition(".")[0], maxsplit=1)
    return parts[0].strip() if len(parts) == 2 and title_of(parts[0]) is not None else None


def _by_beginnings(entries: list[Entry]) -> list[Entry]:
    """Split files that all begin with one of several titles.

    Either parts' names recur under them, or the titles are of two words and more: a singer's name is one.
    """
    begun: defaultdict[str, list[Entry]] = defaultdict(list)
    for entry in entries:
        if entry.role.is_assessed:
            begun[_beginning(entry.path) or ""].append(entry)
    rest = begun.pop("", [])  # a mix or two that carry a title alone
    if len(begun) < 2 or min(map(len, begun.values())) < _LEAST or len(rest) >= _LEAST:
        return entries
    rests = [{_SEPARATOR.split(bare_stem(e.path), maxsplit=1)[-1] for e in part} for part in begun.values()]
    recurs = all(any(a & b for b in rests if b is not a) for a in rests)
    if not recurs and not all(_is_long_title(beginning) for beginning in begun):
        return entries
    moved = {e.path: beginning for beginning, part in begun.items() for e in part}
    return _seat_rest([replace(e, song=moved.get(e.path, "")) for e in entries])


def _is_long_title(beginning: str) -> bool:
    """Whether a beginning has two words, also written as one ("SilverMeadow"), none of them a part's or a form's."""
    known = shipped()
    words = [p.word for p in segments_of(beginning) if not p.is_digits]
    return len(words) > 1 and not any(w in known.single_words or w in known.plain for w in words)


def _seat_rest(entries: list[Entry]) -> list[Entry]:
    """What lies beside the songs' folders goes to the song whose words it carries.

    Sound that carries none goes to the first song; a note or MIDI file that carries none belongs to no single one.
    """
    songs = list(dict.fromkeys(e.song for e in entries if e.song and e.role.is_assessed))
    return [e if e.song in songs else replace(e, song=_most_alike(e, songs)) for e in entries]


def _most_alike(entry: Entry, songs: Sequence[str]) -> str:
    words = set(words_of(entry.path))
    shared = {song: len(words & set(words_of(song))) for song in songs}
    best = max(songs, key=lambda song: shared[song])
    return best if shared[best] or entry.role.is_audio else ""
