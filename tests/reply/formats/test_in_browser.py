"""Our web pages in a browser: no wider than a phone, nothing fetched, nothing that an accessibility checker finds."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest
from axe_playwright_python.sync_playwright import Axe
from playwright.sync_api import Browser

from browser import browser as started
from deep_tally.model.brief import DEFAULT_BRIEF
from deep_tally.model.delivery import Delivery
from deep_tally.reply.brief_page import write_brief_page
from deep_tally.reply.formats.html import to_html
from deep_tally.reply.formats.session_sheet import sheet_to_html
from deep_tally.reply.letter import write_letter
from deep_tally.reply.letter_options import LetterOptions
from deep_tally.reply.session_sheet import session_sheets


@pytest.fixture(scope="module")
def browser() -> Iterator[Browser]:
    with started() as made:
        yield made


def page_of(kind: str, demo: Delivery) -> str:
    if kind == "brief":
        return to_html(write_brief_page(DEFAULT_BRIEF, engineer="Ada"))
    if kind == "sheet":
        return sheet_to_html(session_sheets(demo))
    return to_html(write_letter(demo, LetterOptions(language=kind)))


@pytest.mark.parametrize("width", [320, 390, 1280])
@pytest.mark.parametrize("kind", ["en", "de", "brief", "sheet"])
def test_a_page_fits_its_screen_fetches_nothing_and_is_accessible(
    kind: str, width: int, browser: Browser, demo: Delivery, tmp_path: Path
) -> None:
    """axe-core's rules, which follow WCAG 2.2 and its best practices."""
    file = tmp_path / "page.html"
    file.write_text(page_of(kind, demo), "utf-8")
    fetched: list[str] = []
    page = browser.new_page(viewport={"width": width, "height": 844})
    page.on("request", lambda request: fetched.append(request.url))
    page.goto(file.as_uri())
    assert fetched == [file.as_uri()]
    assert page.evaluate("document.documentElement.scrollWidth") <= width
    found = Axe().run(page).response
    assert [(rule["id"], rule["nodes"][0]["html"]) for rule in found["violations"]] == []
    assert len(found["passes"]) > 10
    page.close()


def test_the_checker_finds_what_is_wrong(browser: Browser) -> None:
    page = browser.new_page()
    page.set_content("<html><body><h1>A</h1><h3>B</h3><img src='data:,'></body></html>")
    assert {"heading-order", "image-alt", "html-has-lang"} <= {r["id"] for r in Axe().run(page).response["violations"]}
    page.close()
