"""Shows in the views what the check's state says: opening, measuring, the assessment, the brief."""

from __future__ import annotations

import time
from collections.abc import Mapping
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QTimer

from deep_tally.app.names.names_view import plan_of
from deep_tally.model.delivery import Delivery, Track
from deep_tally.model.errors import PatternRefused
from deep_tally.model.findings import count_findings
from deep_tally.reply.action_words import readable
from deep_tally.reply.brief_page import write_brief_page
from deep_tally.reply.numbers import count
from deep_tally.reply.wording.speaker import Speaker
from deep_tally.views.not_checked import button_words, sentences
from deep_tally.views.rows import Row, make_sheet

if TYPE_CHECKING:
    from deep_tally.app.shell.window import Window

_REFILL_MS, _PROGRESS_MS = 120, 60
_REFILL_SHARE = 8


class Presenter(QObject):
    """Fills band, sheet, bench and the page that is shown."""

    def __init__(self, window: Window) -> None:
        super().__init__(window)
        self._window, self._state = window, window.state
        self._on_bench: tuple[Row | None, bool] = (None, False)
        # While files come in one after the other, the sheet is filled in a few times a second, not at each.
        self._refill_timer = QTimer(self)
        self._refill_timer.setSingleShot(True)
        self._refill_timer.setInterval(_REFILL_MS)
        self._refill_timer.timeout.connect(self.fill)
        self._progress_timer = QTimer(self)
        self._progress_timer.setSingleShot(True)
        self._progress_timer.setInterval(_PROGRESS_MS)
        self._progress_timer.timeout.connect(self._show_progress)

    def opening(self, words: str, name: str) -> None:
        """A delivery is looked through or unpacked."""
        self._window.said.hide()
        if self._state.intake is None:
            self._window.band.show_opening(name)
        self._window.progress.show_opening(words)
        self._window.menus.cancel.setEnabled(True)

    def _show_progress(self) -> None:
        matching = self._state.run.matching if self._state.run is not None else None
        self._window.progress.show_run(self._state.measuring, self._state.comparing, matching)

    def opened(self, again: bool) -> None:
        """The files are known; `again` when it is the delivery that was open, read again."""
        self._window.reply.protected = self._window.paper.protected = self._window.names.protected = self._state.client
        if not again:
            self._window.playback.forget()
        self._window.progress.begin()
        self._window.band.show_counts(None)
        self._window.navigator.show_page(self._window.desk)
        if not again:
            self._window.songs.song = ""
            self._window.steps.find_field.clear()
            self._window.filter.keep_action(None)
        self.fill()
        if not again:
            self._window.sheet.scrollToTop()
        self._window.sheet.setFocus()
        self._show_progress()
        self._say_troubles()

    def _say_troubles(self) -> None:
        """What was not checked is said once, and stays at hand in the line of steps."""
        incomplete, troubles = sentences(self._state.intake, self._state.delivery)
        first, words = [*incomplete, *troubles], button_words(self._state.intake, self._state.delivery)
        self._window.steps.troubles_button.setText(words)
        self._window.steps.troubles_button.setVisible(bool(first))
        if first:
            self._window.say(first[0] + (f" And {len(first) - 1} more: see “{words}” above." if len(first) > 1 else ""))

    def corrected(self) -> None:
        """Roles or songs changed; files that became audio are measured now."""
        self._window.band.show_counts(None)
        self.fill()
        if self._state.is_measuring:
            self._window.progress.begin()
            self._window.progress.show()
            self._window.menus.cancel.setEnabled(True)
            self._show_progress()

    @property
    def _is_matching(self) -> bool:
        """Whether a rough mix is being compared with its files; everything else is known then."""
        return self._state.run is not None and self._state.run.stage == "matching"

    def measured(self, track: Track) -> None:
        """One more file is measured."""
        if not self._refill_timer.isActive():
            self._refill_timer.start()

    def progressed(self) -> None:
        """Measuring or comparing went on."""
        if not self._progress_timer.isActive():
            self._progress_timer.start()

    def assessed(self) -> None:
        """The assessment is new."""
        self._refill_timer.stop()
        self._calm()
        if self._is_matching:
            # Everything that needs no rough mix is there; only this strip says that more is to come.
            self._window.progress.begin()
            self._window.progress.show()
            self._window.menus.cancel.setEnabled(True)
            self._show_progress()
        self.fill()
        delivery = self._state.delivery
        if delivery is not None:
            self._window.band.show_counts(count_findings(delivery.findings))
            self.show_coverage()
            self._window.steps.rounds.setVisible(self._state.next_round.rounds is not None)
            self.fill_page()
            done = sum(t.is_done for t in delivery.tracks)
            comparing = self._state.comparing
            if delivery.incomplete:
                self._say_troubles()
            if done < len(delivery.tracks):
                self._window.say(
                    f"Cancelled: {done} of {len(delivery.tracks)} files are measured, and only those are assessed."
                )
            elif comparing is not None and not comparing.is_whole and not comparing.incomplete:
                self._window.say(
                    "The files were not compared, so duplicates and groups are not reported. Press F5 to compare."
                )

    def brief_changed(self) -> None:
        """Another brief is in force, or a line of it changed."""
        self.show_brief()
        if self._state.delivery is None or self._state.is_measuring:
            self.fill()  # else the assessment that follows fills everything

    def show_brief(self) -> None:
        """Show the brief in its panel, its button and on the client's page."""
        brief = self._state.brief
        self._window.steps.brief_button.setText(f"Brief: {readable(brief.name)}".replace("&", "&&"))
        self._window.brief_panel.show_brief(brief, changed=self._state.briefs.is_changed)
        if self._window.pages.currentWidget() is self._window.paper:
            self.fill_page()

    def show_coverage(self) -> None:
        """Show beside the brief how much of it was received."""
        if self._window.brief_panel.isVisible():
            self._window.brief_panel.show_delivery(self._state.delivery, self._state.brief)

    def fill_page(self) -> None:
        """Fill the page that is shown, as things are now."""
        page, delivery = self._window.pages.currentWidget(), self._state.delivery
        if page is self._window.paper:
            brief = self._state.brief
            self._window.paper.show_page(
                write_brief_page(brief, engineer=self._window.reply.engineer.text()), brief.name
            )
        elif delivery is None:
            return
        elif page is self._window.reply:
            self.fill_reply()
        elif page is self._window.line_up:
            before = self._state.next_round.before
            self._window.line_up.show_all(
                delivery, self._state.corrections, song=self._song_name(delivery), before=before
            )
        elif page is self._window.mix_match:
            song = self._song_name(delivery)
            is_matching = self._is_matching
            self._window.mix_match.show_all(delivery, self._state.corrections, song=song, is_matching=is_matching)
            self._window.navigator.show_player()
        elif page is self._window.parts:
            self._window.parts.show_all(delivery, self._state.corrections, self._state.brief)
        elif page is self._window.rounds:
            self._fill_rounds(delivery)
        elif page is self._window.ready:
            is_whole = not (self._is_matching or self._state.is_measuring)
            self._window.ready.show_all(delivery, self._state.corrections, self._state.brief, is_whole=is_whole)
        elif page is self._window.names:
            self._window.names.show_all(delivery, self._state.corrections, self._state.brief)

    def _fill_rounds(self, delivery: Delivery) -> None:
        """Show the round at hand against the one before; where there is none any more, the sheet."""
        rounds, run = self._state.next_round.rounds, self._state.run
        if rounds is None or run is None or run.saved is None:
            self._window.navigator.show_sheet()
            return
        number, lines = len(run.saved.earlier) + 1, self._state.next_round.lines
        self._window.rounds.show_all(rounds, delivery, self._state.corrections, number, lines)

    def _song_name(self, delivery: Delivery) -> str:
        """The name of the set whose files the sheet shows; empty when it shows all."""
        intake = self._state.intake
        songs = intake.songs if intake is not None else ()
        return delivery.sets[songs.index(self._window.songs.song)].name if self._window.songs.song in songs else ""

    def corrections_changed(self) -> None:
        """The user corrected something that needs no new measures."""
        self.fill_page()

    def abandoned(self) -> None:
        """Opening ended before there was a list of files."""
        self._calm()
        if self._state.intake is None:
            self._window.band.show_nothing()

    def _calm(self) -> None:
        self._window.progress.hide()
        self._window.menus.cancel.setEnabled(False)

    def fill(self) -> None:
        """Fill sheet, bench and band with what is known now."""
        state = self._state
        if state.intake is None:
            return
        begun = time.perf_counter()
        is_whole = state.delivery is not None
        found = state.so_far()
        self._window.songs.show_songs(state.intake, found)
        self._window.likely.show_likely(state.delivery)
        sheet = make_sheet(
            state.intake,
            state.tracks,
            state.brief,
            found,
            is_whole=is_whole,
            song=self._window.songs.song,
            vocabulary=state.vocabulary,
        )
        self._window.sheet.show_sheet(sheet)
        self._window.band.show_sheet(state.intake, sheet)
        if not is_whole and found is not None:
            self._window.band.show_counts(count_findings(found.findings), to_come=self._to_come())
        row = self._window.sheet.current_row
        if not _is_same(row, self._on_bench[0]) or is_whole != self._on_bench[1]:
            self.show_on_bench(row)
        # A delivery of thousands of files is filled in less often: at most an eighth of the time goes into it.
        self._refill_timer.setInterval(max(_REFILL_MS, round((time.perf_counter() - begun) * 1000 * _REFILL_SHARE)))

    def show_on_bench(self, row: Row | None) -> None:
        """Show a file in detail; None shows none."""
        found, is_whole = self._window.sheet.sheet_model.sheet.delivery, self._state.delivery is not None
        self._on_bench = (row, is_whole)
        self._window.playback.row = row
        tracks = self._state.measuring.by_path if self._state.measuring is not None else {}
        self._window.bench.show_row(row, Speaker(found) if found is not None else None, tracks, is_whole=is_whole)

    def _to_come(self) -> str:
        """What is still to come, while files are measured and compared."""
        measuring = self._state.measuring
        left = 0
        if measuring is not None:
            done, total = measuring.counts
            left = total - done
        files = f"{count(left, 'file')}, then " if left else ""
        return f"So far. Still to come: {files}how the files compare."

    def fill_reply(self) -> None:
        """Write the reply to the delivery as it is assessed and corrected now."""
        if (delivery := self._state.delivery) is not None:
            said, brief = self._state.corrections, self._state.brief
            rounds = self._state.next_round.rounds
            self._window.reply.show_all(delivery, said, brief, renamed=self._renamed(), rounds=rounds)

    def _renamed(self) -> Mapping[str, str]:
        """The new names, where the reply is to list them."""
        said, delivery = self._state.corrections, self._state.delivery
        if not said.in_reply or delivery is None:
            return {}
        try:
            plan = plan_of(delivery, said, self._state.brief)
        except PatternRefused:
            return {}
        return {r.old: r.new for r in plan if r.new and r.old != r.new}


def _is_same(one: Row | None, other: Row | None) -> bool:
    """Whether two rows are the same file with the same findings."""
    if one is None or other is None:
        return one is other
    return (
        one.track is other.track
        and one.findings == other.findings
        and one.decided == other.decided
        and one.common == other.common
    )
