"""Where is a file loud, where is it quiet? Short stretches there are read again at the file's end."""

from __future__ import annotations

import numpy as np

from deep_tally.measure.windows import Windows


def loud_places(windows: Windows, frames: int, *, span: int, most: int) -> list[int]:
    """First frames of the `most` loudest stretches of `span` frames, in order of time; none of them is silent.

    Parameters
    ----------
    windows : Windows
        Of the whole file, all channels together.
    frames : int
        The file's length; a stretch never runs past it.
    """
    size = max(1, span // windows.frames)
    energy = windows.grouped(size).energy[:, 0]
    starts = np.minimum(np.arange(len(energy)) * size * windows.frames, frames - span)
    fits = (starts >= 0) & (energy > 0)
    order = np.argsort(-energy[fits], kind="stable")[:most]
    return sorted(set(starts[fits][order].tolist()))


def quiet_places(windows: Windows, frames: int, *, span: int, most: int) -> list[int]:
    """The same for the quietest stretches that are not digital silence anywhere."""
    size = max(1, span // windows.frames)
    grouped = windows.grouped(size)
    energy = grouped.energy[:, 0]
    sounding = (windows.energy[:, :1] > 0).astype(np.float32)
    whole = Windows(frames=windows.frames, low=sounding, high=sounding, energy=sounding).grouped(size).low[:, 0] > 0
    starts = np.arange(len(energy)) * size * windows.frames
    fits = whole & (starts + span <= frames)
    order = np.argsort(energy[fits], kind="stable")[:most]
    return sorted(starts[fits][order].tolist())
