"""A real browser without a window, for pages that we write."""

from __future__ import annotations

import os
import shutil
from collections.abc import Iterator
from contextlib import contextmanager

import pytest
from playwright.sync_api import Browser, sync_playwright

_NAMES = ("chromium", "chromium-browser")


@contextmanager
def browser() -> Iterator[Browser]:
    """Chromium as the system has it. Without one the test is skipped, or fails if DEEP_TALLY_BROWSER is "required"."""
    path = next((found for name in _NAMES if (found := shutil.which(name))), None)
    if path is None:
        assert os.environ.get("DEEP_TALLY_BROWSER") != "required", "chromium is not installed"
        pytest.skip("NO BROWSER: chromium is not installed, so no page was tried in one")
    with sync_playwright() as playwright:
        started = playwright.chromium.launch(executable_path=path, args=["--no-sandbox"])
        yield started
        started.close()
