"""The words for every finding, in the language that is spoken: a headline, its evidence, what is done about it.

Checks give codes and numbers; only here do they become sentences. Times, levels and rates are said as
every program shows them.
"""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType

from deep_tally.model.delivery import Delivery
from deep_tally.model.findings import Action, Finding
from deep_tally.model.language import gettext as _
from deep_tally.reply.action_words import readable
from deep_tally.reply.numbers import listed
from deep_tally.reply.wording import channels, clipping, content, depth, headroom, length, name, rate, start
from deep_tally.reply.wording.facts import Facts, Wording
from deep_tally.reply.wording.mends import mend_words

_QUESTIONS = (start, length, rate, depth, clipping, headroom, channels, name, content)

WORDINGS: Mapping[str, Wording] = MappingProxyType({c: w for q in _QUESTIONS for c, w in q.WORDINGS.items()})
"""Every code's words; a test holds it against the registry."""

NOTE_WORDINGS: Mapping[str, Wording] = MappingProxyType(
    {**clipping.NOTE_WORDINGS, **channels.NOTE_WORDINGS, **content.NOTE_WORDINGS}
)


def wording_of(finding: Finding) -> Wording:
    """The words for a finding."""
    is_milder = finding.action is Action.NOTE and not finding.is_answered
    other = NOTE_WORDINGS.get(finding.code) if is_milder else None
    return other or WORDINGS[finding.code]


def wording_of_code(code: str) -> Wording:
    """The words for a code, where there is no finding at hand."""
    return WORDINGS[code]


class Speaker:
    """Says the findings of one delivery."""

    def __init__(self, delivery: Delivery) -> None:
        self._tracks = {t.path: t for t in delivery.tracks}
        self.has_several_songs = len(delivery.sets) > 1
        self._songs = {t.path: s.name for s in delivery.sets for t in s.tracks} if self.has_several_songs else {}

    def name(self, path: str, *, ending: bool = True) -> str:
        """A file's name as a sentence says it, with its song where there are several."""
        name = path.rpartition("/")[2]
        name = name if ending else name.rpartition(".")[0] or name
        return f"{self._songs[path]} / {name}" if path in self._songs else name

    def song(self, finding: Finding) -> str:
        """The song a finding is about, where there are several; else empty."""
        return finding.song if self.has_several_songs else ""

    def facts(self, finding: Finding, path: str | None = None) -> Facts:
        """What words need for one file of a finding (its first file when none is named)."""
        if path is None and finding.files:
            path = finding.files[0]
        evidence = finding.evidence_of(path) if path else finding.evidence
        return Facts(finding, path, self._tracks.get(path or ""), evidence)

    def headline(self, finding: Finding) -> str:
        """A few words, as they stand beside the file."""
        return _(wording_of(finding).headline)

    def evidence(self, finding: Finding, path: str | None = None) -> str:
        """Where and how much, for one file; no full stop."""
        facts = self.facts(finding, path)
        said = wording_of(finding).evidence(facts)
        if words := facts.evidence.get("client_says"):
            says = _("the client says: “{words}”").format(words=words)
            return f"{said}; {says}" if said else says
        return said

    def matter(self, finding: Finding) -> str:
        """Why it matters; empty for what is only worth knowing."""
        return _(wording_of(finding).matter)

    def mend(self, finding: Finding) -> str:
        """What is done about it here, as a verb phrase; empty when nothing is."""
        first = next(iter(finding.mends.values()), None)
        return mend_words(first) if first is not None else ""

    def summary(self, finding: Finding) -> str:
        """One plain sentence that names the files."""
        names = readable(listed([self.name(path) for path in finding.files]))
        about = _(wording_of(finding).about)
        evidence = "" if finding.by_file else readable(self.evidence(finding))
        is_list = about.endswith(": {files}")
        if len(finding.files) > 1 and "{files}" in about and not is_list:
            # The sentences are made for one file: several would need another verb.
            about, is_list = f"{self.headline(finding)}: {{files}}", True
        said = about.format(files=names)
        if evidence:
            said = f"{said} ({evidence})" if is_list else f"{said}: {evidence}"
        song = readable(self.song(finding)) if not finding.files else ""
        return f"{song}: {said}." if song else f"{said}."
