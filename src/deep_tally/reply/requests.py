"""What the client is asked: `ask` findings grouped by the one thing that answers them."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from deep_tally.model.findings import Action, Finding
from deep_tally.model.language import gettext as _
from deep_tally.model.language import ngettext
from deep_tally.model.phrase import worded
from deep_tally.reply.tasks import TASKS, Task


@dataclass(frozen=True, slots=True)
class Request:
    """A task with the findings it answers."""

    task: Task
    findings: tuple[Finding, ...]

    @property
    def files(self) -> tuple[str, ...]:
        """The files of all its findings, each once."""
        return tuple(dict.fromkeys(path for f in self.findings for path in f.files))

    @property
    def missing(self) -> tuple[str, ...]:
        """What its findings say is missing, each once; what the engineer asks for, in the language that is spoken."""
        found = (f.evidence.get("missing") for f in self.findings)
        return tuple(dict.fromkeys(worded(word) for words in found if isinstance(words, tuple) for word in words))

    @property
    def heading(self) -> str:
        """What is asked, in one line."""
        if len(self.files) == 1:
            return _(self.task.one).format(file=self.files[0].rpartition("/")[2])
        return ngettext(self.task.many, self.task.many, len(self.files), count=len(self.files))


def group_requests(findings: Iterable[Finding]) -> tuple[Request, ...]:
    """The `ask` findings, grouped: requests first, then questions."""
    asked = [f for f in findings if f.action is Action.ASK]
    groups = []
    for task in TASKS:
        answered = tuple(f for f in asked if f.kind == task.kind and f.code in task.codes)
        if answered:
            groups.append(Request(task, answered))
    return tuple(groups)
