"""The paper that pages are printed on."""

from __future__ import annotations

from typing import Literal, get_args

Paper = Literal["A4", "Letter"]
"""ISO 216, or that of North America (ANSI/ASME Y14.1 size A)."""
PAPERS: tuple[Paper, ...] = get_args(Paper)
_WITH_LETTER = frozenset({"US", "CA", "MX", "PH", "CL", "CO", "VE", "PR"})
"""Where Letter is the usual paper (common practice)."""


def usual_paper(territory: str) -> Paper:
    """The paper of a country, by its code (ISO 3166-1)."""
    return "Letter" if territory.upper() in _WITH_LETTER else "A4"
