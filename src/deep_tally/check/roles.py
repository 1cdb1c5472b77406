"""What files are for, once they are compared: the sound counts before a name, what the user set before both."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace

from deep_tally.model.brief import Brief
from deep_tally.model.comparison import Comparison
from deep_tally.model.delivery import Track
from deep_tally.model.files import Role, RoleBasis

_SURE_FILES = 6
"""A file that holds three of three others may be their group; from six on, it is the mix."""
_LIKELY = 0.8


def settled_roles(tracks: Sequence[Track], comparison: Comparison, brief: Brief) -> tuple[Track, ...]:
    """The tracks of one song, each in its role.

    Parameters
    ----------
    tracks : sequence of Track
        In the roles that names, folders and the user give them.
    comparison : Comparison
        How they relate, as far as that is known.
    brief : Brief
        Where it asks for a mix, the mix itself is assessed.
    """
    heard = _by_sound(comparison)
    return in_requested_roles([_settled(t, heard.get(t.path)) for t in tracks], brief)


def _by_sound(comparison: Comparison) -> Mapping[str, tuple[Role, RoleBasis]]:
    found: dict[str, tuple[Role, RoleBasis]] = {}
    for sum_of in comparison.sums:
        found[sum_of.path] = (Role.GROUP, RoleBasis("sound", 1.0 if sum_of.is_exact else _LIKELY))
    for mix in comparison.mixes:
        found[mix.path] = (Role.ROUGH_MIX, RoleBasis("sound", 1.0 if mix.files >= _SURE_FILES else _LIKELY))
    return found


def _settled(track: Track, heard: tuple[Role, RoleBasis] | None) -> Track:
    if heard is None or track.basis.source == "user":
        return track
    role, basis = heard
    if track.role is role:
        return replace(track, basis=basis) if track.basis.is_likely and not basis.is_likely else track
    # A group that says so holds most of a small set; a click, a trigger or a return is no sum whatever it resembles.
    says_group = track.role is Role.GROUP and not track.basis.is_likely and basis.is_likely
    if says_group or track.role in (Role.CLICK, Role.TRIGGER):
        return track
    if role is Role.GROUP and track.role in (Role.ROUGH_MIX, Role.REFERENCE):
        return track
    return replace(track, role=role, basis=basis)


def in_requested_roles(tracks: Sequence[Track], brief: Brief) -> tuple[Track, ...]:
    """Tracks with the roles the brief gives them: a mix that is sent to be worked on answers the nine itself."""
    if brief.scope != "mix":
        return tuple(tracks)
    mixes = {t.path for t in tracks if t.role is Role.ROUGH_MIX}
    if not mixes and sum(t.role is Role.TRACKOUT for t in tracks) == 1:
        mixes = {t.path for t in tracks if t.role is Role.TRACKOUT}
    return tuple(replace(t, role=Role.MIX) if t.path in mixes else t for t in tracks)
