"""The table: what clients do, in some sixty deliveries (common practice), and what each must be asked."""

from __future__ import annotations

import struct
from collections.abc import Callable, Mapping
from dataclasses import replace
from typing import Any

import numpy as np

from deep_tally.demo import synth
from deep_tally.demo.synth import RATE_HZ
from deep_tally.model.brief import DEFAULT_BRIEF
from detectors.clean import Sound
from detectors.deliveries import (
    BAR,
    SECONDS,
    Delivered,
    File,
    Files,
    band,
    chunk,
    clip,
    codes,
    mix_of,
    part,
    quietened,
    sides,
    with_mix,
    with_mix_of,
)
from processed import compressed, limited, panned, reverberation, shelf

DELIVERIES: list[Delivered] = []


def delivered(name: str, **wanted: Any) -> Callable[[Callable[[], Files]], Callable[[], Files]]:
    """Put what a function makes into the table."""

    def decorate(files: Callable[[], Files]) -> Callable[[], Files]:
        DELIVERIES.append(Delivered(name=name, files=files, **wanted))
        return files

    return decorate


def _limited_mix() -> dict[str, File]:
    files = with_mix(band())
    return {**files, "rough mix loud.wav": File(0.9 * limited(files["rough mix.wav"].sound))}


def _instrumental() -> dict[str, File]:
    files = band()
    return {
        **with_mix(files),
        "instrumental mix.wav": File(mix_of({k: v for k, v in files.items() if k != "Voice.wav"})),
    }


def _drum_bus(name: str, *, is_processed: bool) -> dict[str, File]:
    files = band()
    total = sum((panned(files[f"{n}.wav"].sound) for n in ("Kick", "Snare", "Overheads")), np.zeros((1, 2)))
    if is_processed:
        total = shelf(compressed(total, 8.0), 6000, 4.0, is_high=True)
    return {**with_mix(files), name: File(total / np.abs(total).max() * 0.35)}


def _unplaced(count: int, names: str = "Tambourine {n}") -> dict[str, File]:
    kinds = ("Viola", "Acoustic", "Voice", "Piano", "Bass", "Organ", "Strings", "Bells")
    made = {names.format(n=n + 1) + ".wav": File(clip(kinds[n], 2.0 + n, 3.5 + 0.37 * n, seed=7)) for n in range(count)}
    return {**with_mix(band()), **made}


def _families(*names: str) -> dict[str, File]:
    """Groups, each of several parts in places of their own."""
    kinds = {
        "Drums": ("Kick", "Snare", "Overheads"),
        "Bass": ("Bass",),
        "Music": ("Organ", "Hat", "Shaker"),
        "Vocals": ("Voice", "Voice low"),
        "Keys": ("Organ", "Clap", "Tambourine"),
    }
    made = {}
    for name in names:
        total = np.zeros((1, 2))
        for place, kind in enumerate(kinds[name]):
            sound = part(kind, seed=1 + len(name)) if len(kinds[name]) > 1 else part(kind)
            # What lies in the middle is low and soft, what is high lies at the sides.
            total = total + panned(sound / np.abs(sound).max(), (0.0, -0.8, 0.8)[place]) * (0.12 if place == 0 else 1.0)
        made[f"{name}.wav"] = File(total / np.abs(total).max() * (0.25 + 0.03 * len(name)))
    return made


def _two_songs(first: str, second: str) -> dict[str, File]:
    one, other = band("Kick", "Bass", "Piano", "Voice"), band("Snare", "Guitar amp", "Organ", "Voice low", seed=2)
    made = {first.format(name=k): v for k, v in with_mix(one).items()}
    return made | {second.format(name=k): v for k, v in with_mix(other).items()}


def _doubled(left: str, right: str) -> dict[str, File]:
    """Two takes of one part: the same notes, never at the same moment, never at one level."""
    rng = np.random.default_rng(11)
    takes = [np.zeros(round(SECONDS * RATE_HZ)) for _ in range(2)]
    for beat in np.arange(0.5, 12.5, 0.5):
        hz = float(rng.choice([110.0, 130.81, 146.83, 164.81]))
        for take in takes:
            note = synth.plucked(round(hz * rng.uniform(0.998, 1.002), 2), 0.45)
            synth.place(take, note, max(0.0, beat + rng.normal(0, 0.014)), rng.uniform(0.4, 1.0))
    for take in takes:
        take += 3e-5 * rng.standard_normal(len(take))
    files = {**band("Kick", "Bass", "Piano", "Voice"), left: File(0.3 * takes[0]), right: File(0.28 * takes[1])}
    return with_mix(files)


def _leftover() -> dict[str, File]:
    files = band()
    long = np.zeros(round(32 * RATE_HZ))
    return with_mix(
        {
            name: File(
                _with_cough(f.sound)
                if name == "Voice.wav"
                else np.concatenate([f.sound, np.zeros((len(long) - len(f.sound), *f.sound.shape[1:]))])
            )
            for name, f in files.items()
        }
    )


def _with_cough(sound: Sound) -> Sound:
    long = np.concatenate([sound, np.zeros(round(32 * RATE_HZ) - len(sound))])
    cough = 0.05 * np.random.default_rng(3).standard_normal(9600) * np.hanning(9600)
    long[28 * RATE_HZ : 28 * RATE_HZ + 9600] += cough
    return long


def _edited() -> dict[str, File]:
    """A low note of an organ, joined in the middle of a wave."""
    time = np.arange(round(SECONDS * RATE_HZ)) / RATE_HZ
    fade = np.minimum(1, np.minimum(time / 0.5, np.maximum(0, 13 - time) / 2))
    tone = np.sin(2 * np.pi * 82 * time) + 0.3 * np.sin(2 * np.pi * 164 * time)
    other = np.sin(2 * np.pi * 82 * time + 1.9) + 0.3 * np.sin(2 * np.pi * 164 * time + 3.0)
    rng = np.random.default_rng(4)
    joined = np.where(time < 7.31, tone, other) * fade * (1 + 0.2 * np.sin(2 * np.pi * 0.7 * time))
    return with_mix({**band(), "Organ.wav": File(0.2 * joined + 2e-5 * rng.standard_normal(len(time)))})


def _renamed(files: Mapping[str, File], **names: str) -> dict[str, File]:
    by_old = {f"{old}.wav": f"{new}.wav" for old, new in names.items()}
    return {by_old.get(name, name): file for name, file in files.items()}


def _truncated_with_note() -> dict[str, File | str]:
    left, right = sides(part("Overheads"))
    files = {**band("Kick", "Snare", "Bass", "Piano", "Voice"), "OH L.wav": File(left), "OH R.wav": File(right)}
    made: dict[str, File | str] = dict(with_mix(files))
    made["OH R.wav"] = File(right, cut_bytes=900_000)
    made["notes.txt"] = "Hi! OH right is corrupted, will resend tonight.\nEnjoy!"
    return made


def _hot() -> dict[str, File]:
    files = band()
    drum = np.clip(part("Kick") / np.abs(part("Kick")).max() * 3.0, -1, 1 - 2**-23)
    return with_mix({**files, "Kick.wav": File(drum)})


def _late_start() -> dict[str, File]:
    files = with_mix(band())
    sound = files["Viola.wav"].sound
    first = int(np.flatnonzero(np.abs(sound) > 0.01)[0])
    return {**files, "Viola.wav": File(sound[first + 2 * BAR - 20 :])}


def _stamped() -> dict[str, File]:
    files = {name: replace(f, stamp=36_000 * RATE_HZ) for name, f in band().items()}
    made = {**files, "Bells.wav": File(clip("Bells", 4.0, 6.0), stamp=36_000 * RATE_HZ + 3 * BAR)}
    return with_mix_of(files, made)


def _trimmed_short(*, leads: bool) -> dict[str, File]:
    """One part that ends at bar 8: with a long rest before it, or in the mix."""
    files = band()
    sound = quietened(part("Strings"), 6.0) if leads else part("Strings")
    short = sound[: round(11.5 * RATE_HZ)].copy()
    short[-RATE_HZ:] *= np.linspace(1, 0, RATE_HZ)[:, None] ** 2
    short[-2400:] = 0
    whole = {**files, "Strings.wav": File(short)}
    return with_mix(whole) if not leads else {**with_mix(files), "Strings.wav": File(short)}


# -- the table --------------------------------------------------------------------------------


@delivered("a band and its rough mix")
def _() -> Files:
    return with_mix(band())


@delivered("programmed parts")
def _() -> Files:
    return with_mix(band("Hat", "Clap", "Saws", "Arpeggio", "Plucks", "Riser", "Voice"))


@delivered("numbered names")
def _() -> Files:
    return with_mix({f"{n:02d} {k}": v for n, (k, v) in enumerate(band().items(), 1)})


@delivered("the tempo before every name")
def _() -> Files:
    return with_mix({f"120 {k}": v for k, v in band().items()})


@delivered("a mix named as the song")
def _() -> Files:
    return with_mix(band(), "Silver Meadow.wav")


@delivered("a mix named master")
def _() -> Files:
    return with_mix(band(), "Silver Meadow master.wav")


@delivered("a mix named main out")
def _() -> Files:
    return with_mix(band(), "Main Out.wav")


@delivered("a mix with a version mark")
def _() -> Files:
    return with_mix(band(), "Silver Meadow v3.wav")


@delivered("a mix in a preview folder")
def _() -> Files:
    return with_mix(band(), "Preview/listen.wav")


@delivered("a mix written as one word")
def _() -> Files:
    return with_mix(band(), "SilverMeadow_RoughMix.wav")


@delivered("a mix of any name")
def _() -> Files:
    return with_mix(band(), "Blue Door.wav")


@delivered("a mix as MP3")
def _() -> Files:
    return with_mix(band(), "listen.mp3")


@delivered("the mix and a limited one", noted=codes("content.mix-copy"))
def _() -> Files:
    return _limited_mix()


@delivered("the mix and an instrumental")
def _() -> Files:
    return _instrumental()


@delivered("no mix, and master keys", asked=codes("content.no-rough-mix"))
def _() -> Files:
    return _renamed(band(), Piano="Master Keys")


@delivered("a reference in its folder")
def _() -> Files:
    return {**with_mix(band()), "reference tracks/Harbour.mp3": File(mix_of(band(seed=5)))}


@delivered("a compressed drum bus", noted=codes("content.sum-of"))
def _() -> Files:
    return _drum_bus("Drum Bus.wav", is_processed=True)


@delivered("an exact sum of any name", noted=codes("content.sum-of"))
def _() -> Files:
    return _drum_bus("Rhythm.wav", is_processed=False)


@delivered("effect returns")
def _() -> Files:
    return {
        **with_mix(band()),
        "A-Reverb.wav": File(0.5 * reverberation(np.random.default_rng(1), part("Voice"))),
        "Vocal Verb.wav": File(0.4 * reverberation(np.random.default_rng(2), part("Voice"), 0.8)),
        "Delay.wav": File(0.3 * np.roll(reverberation(np.random.default_rng(3), part("Voice"), 0.3), 18000, axis=0)),
    }


@delivered("a sidechain trigger")
def _() -> Files:
    return {
        **with_mix(band()),
        "Kick SC trigger.wav": File(np.repeat(np.eye(1, BAR)[0], 12)[: round(SECONDS * RATE_HZ)] * 0.9),
    }


@delivered(
    "groups where groups are wanted",
    fixed=codes("channels.same"),
    brief=DEFAULT_BRIEF.model_copy(update={"scope": "groups"}),
)
def _() -> Files:
    return with_mix(_families("Drums", "Bass", "Music", "Vocals"))


@delivered("groups where tracks are wanted", asked=codes("content.scope"), fixed=codes("channels.same"))
def _() -> Files:
    return with_mix(_families("Drums", "Bass", "Music", "Keys"))


@delivered("a songwriter's four tracks")
def _() -> Files:
    return with_mix(
        _renamed(band("Kick", "Bass", "Acoustic", "Voice"), Kick="Drums", Acoustic="Guitar", Voice="Vocals")
    )


@delivered("eight tracks, one of them a loop called Drums")
def _() -> Files:
    return with_mix(
        _renamed(band("Kick", "Bass", "Acoustic", "Piano", "Viola", "Voice", "Organ", "Strings"), Kick="Drums")
    )


@delivered("one mono sound as left and right", fixed=codes("channels.pair-same"))
def _() -> Files:
    return with_mix({**band(), "Bells L.wav": File(part("Viola", 3)), "Bells R.wav": File(part("Viola", 3))})


@delivered("a stereo sound as left and right", fixed=codes("channels.split-pair"))
def _() -> Files:
    return with_mix({**band(), **dict(zip(("Keys L.wav", "Keys R.wav"), map(File, sides(part("Bells"))), strict=True))})


@delivered("overheads written as one word", fixed=codes("channels.split-pair"))
def _() -> Files:
    return with_mix(
        {
            **band("Kick", "Bass", "Piano", "Voice"),
            **dict(zip(("OHL.wav", "OHR.wav"), map(File, sides(part("Overheads"))), strict=True)),
        }
    )


@delivered("toms written as one word", fixed=codes("channels.split-pair"))
def _() -> Files:
    return with_mix(
        {
            **band("Kick", "Bass", "Piano", "Voice"),
            **dict(zip(("Tom1L.wav", "Tom1R.wav"), map(File, sides(part("Toms"))), strict=True)),
        }
    )


@delivered("a part played twice", noted=codes("channels.doubles"))
def _() -> Files:
    return _doubled("Gtr L.wav", "Gtr R.wav")


@delivered("a left without its right", asked=codes("channels.half-pair"))
def _() -> Files:
    return with_mix({**band(), "Guitar L.wav": File(part("Guitar amp"))})


@delivered("a clip that may begin anywhere", asked=codes("start.unplaced"))
def _() -> Files:
    return _unplaced(1, "Fiddle")


@delivered("three numbered clips of one part", asked=codes("start.unplaced"), noted=codes("content.clips"))
def _() -> Files:
    return _unplaced(3, "Fiddle {n}")


@delivered("half of the set are clips", asked=codes("start.unplaced"))
def _() -> Files:
    return _unplaced(8, "Shot {n} fiddle")


@delivered("a clip of which the note says where it begins", noted=codes("start.unplaced"))
def _() -> Files:
    return {**_unplaced(1, "Fiddle"), "notes.txt": "The fiddle starts at bar 5."}


@delivered("a short part that rests before it plays", fixed=codes("length.short"))
def _() -> Files:
    return _trimmed_short(leads=True)


@delivered("a short part that the mix places", fixed=codes("length.short"))
def _() -> Files:
    return _trimmed_short(leads=False)


@delivered("a stamped clip among stamped files", fixed=codes("start.stamp-differs", "length.short"))
def _() -> Files:
    return _stamped()


@delivered("a file from its first sound on", asked=codes("start.at-sound"))
def _() -> Files:
    return _late_start()


@delivered("a corrupted file that the note announces", noted=codes("content.damaged"))
def _() -> Files:
    return _truncated_with_note()


@delivered("a mix that is announced", noted=codes("content.no-rough-mix"))
def _() -> Files:
    return {**band(), "notes.txt": "Rough mix to follow!"}


@delivered("a tempo in a sentence", folder="Silver Meadow")
def _() -> Files:
    return {**with_mix(band()), "mail.txt": "Hey, the tempo is 120 and we are in D minor. See you!"}


@delivered("no tempo anywhere", folder="Silver Meadow", asked=codes("name.facts-missing"))
def _() -> Files:
    return with_mix(band())


@delivered("names of a mixer's slots", asked=codes("name.generic"))
def _() -> Files:
    return with_mix(_renamed(band(), Viola="insert 7", Piano="aux 1", Acoustic="ch 3"))


@delivered("two fantasy names", noted=codes("name.no-part"))
def _() -> Files:
    return with_mix(_renamed(band(), Viola="Warm Cloud", Piano="Corner"))


@delivered("mostly fantasy names", asked=codes("name.no-part"))
def _() -> Files:
    return with_mix(
        _renamed(
            band("Kick", "Bass", "Piano", "Viola", "Voice"),
            Bass="Glass Moth",
            Viola="Warm Cloud",
            Piano="Corner",
            Voice="Low Tide",
        )
    )


@delivered("two songs by their tempos", folder="Spring session", songs=2)
def _() -> Files:
    return _two_songs("120bpm {name}", "96bpm {name}")


@delivered("two songs by their titles", folder="Session 120 BPM", songs=2)
def _() -> Files:
    return _two_songs("NightFerry_{name}", "SaltRoad_{name}")


@delivered("a copy beside its original", asked=codes("content.twin"))
def _() -> Files:
    return {**with_mix(band()), "Bass (1).wav": File(part("Bass"))}


@delivered("a copy without its original", fixed=codes("name.copy-mark"))
def _() -> Files:
    return with_mix(_renamed(band(), Bass="Copy of Bass"))


@delivered("two versions of a part", asked=codes("name.copy-mark"))
def _() -> Files:
    return with_mix(
        {
            **band("Kick", "Bass", "Piano", "Viola"),
            "Voice_v1.wav": File(part("Voice")),
            "Voice_v2.wav": File(part("Voice", 4)),
        }
    )


@delivered("all in 16 bits", asked=codes("depth.low"))
def _() -> Files:
    return {k: replace(v, subtype="PCM_16") for k, v in with_mix(band()).items()}


@delivered("a cough long after the song", noted=codes("content.leftover"))
def _() -> Files:
    return _leftover()


@delivered("an edit without a fade", noted=codes("content.edit-jump"))
def _() -> Files:
    return _edited()


@delivered("a file with loops in it", noted=codes("content.import-tags"))
def _() -> Files:
    return {
        k: replace(v, extra=chunk(b"smpl", struct.pack("<9I", 0, 0, 20833, 60, 0, 0, 0, 1, 0) + bytes(24)))
        if k == "Shaker.wav"
        else v
        for k, v in with_mix(band()).items()
    }


@delivered("a kind that cannot be read", asked=codes("content.unreadable-kind"))
def _() -> Files:
    return {**with_mix(band()), "Organ.wv": b"wvpk" + bytes(6000)}


@delivered("one clipped part", asked=codes("clipping.baked"))
def _() -> Files:
    return _hot()


@delivered("one part as MP3", asked=codes("content.lossy"))
def _() -> Files:
    return {k.replace("Viola.wav", "Viola.mp3"): v for k, v in with_mix(band()).items()}


@delivered("German names")
def _() -> Files:
    return with_mix(
        _renamed(
            band(),
            Kick="Große Trommel",
            Snare="Kleine Trommel",
            Overheads="Becken",
            Acoustic="Gitarre",
            Piano="Klavier",
            Viola="Bratsche",
            Voice="Gesang",
        ),
        "Rohmischung.wav",
    )


@delivered("a part named by one character")
def _() -> Files:
    return with_mix(_renamed(band(), Kick="鼓"))
