"""A crew without processes: jobs run where they are polled for, one at each poll."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable
from pathlib import Path
from typing import Any

from deep_tally.engine.check_run import CheckRun
from deep_tally.model.brief import DEFAULT_BRIEF
from deep_tally.model.delivery import Delivery
from deep_tally.model.errors import DeepTallyError
from deep_tally.work.crew import Crew, Failed, Report, Returned


class Inline(Crew):
    """What runs many small deliveries in one process."""

    def __init__(self) -> None:
        self.jobs: deque[tuple[str, Callable[..., Any], tuple[Any, ...]]] = deque()

    def submit(self, job: str, function: Callable[..., Any], *arguments: Any) -> None:
        self.jobs.append((job, function, arguments))

    @property
    def is_busy(self) -> bool:
        return bool(self.jobs)

    def poll(self, timeout_s: float = 0.0) -> list[Report]:
        if not self.jobs:
            return []
        job, function, arguments = self.jobs.popleft()
        try:
            return [Returned(job, function(lambda done, total: None, *arguments))]
        except DeepTallyError as error:
            return [Failed(job, error.problem, error.remedy)]

    def cancel(self) -> None:
        self.jobs.clear()

    def close(self) -> None:
        self.cancel()


def check_inline(folder: Path) -> Delivery:
    """A whole check without processes."""
    with CheckRun([folder], DEFAULT_BRIEF, crew=Inline(), is_cached=False, is_fresh=True) as run:
        list(run)
    assert run.delivery is not None
    return run.delivery
