"""What happens in one part of the window when something happens in another."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QObject

from deep_tally.app.shell.dialogs import LeftOutPage
from deep_tally.model.files import Role
from deep_tally.model.saved_check import SentLetter
from deep_tally.reply.action_words import readable
from deep_tally.session.saved_checks import now
from deep_tally.views.not_checked import sentences

if TYPE_CHECKING:
    from deep_tally.app.shell.window import Window


class Wiring(QObject):
    """Connects state, views and the bars around them, once all of them stand."""

    def __init__(self, window: Window) -> None:
        super().__init__(window)
        self._window = window
        self._connect_state()
        self._connect_views()
        for said in (
            self._window.state.noticed,
            self._window.reply.said,
            self._window.line_up.said,
            self._window.mix_match.said,
            self._window.playback.said,
            self._window.brief_menu.said,
            self._window.names.said,
            self._window.paper.said,
            self._window.ready.said,
        ):
            said.connect(self._window.say)

    def _connect_state(self) -> None:
        window = self._window
        state, presenter = window.state, window.presenter
        state.opening.connect(lambda words, name: window.reply.keep_edits())
        state.opening.connect(presenter.opening)
        state.opening_moved.connect(self._window.progress.show_listing)
        state.preparing_moved.connect(self._window.progress.show_preparing)
        state.opened.connect(presenter.opened)
        state.corrected.connect(presenter.corrected)
        state.measured.connect(presenter.measured)
        state.progressed.connect(presenter.progressed)
        state.assessed.connect(presenter.assessed)
        state.brief_changed.connect(presenter.brief_changed)
        state.corrections_changed.connect(presenter.corrections_changed)
        state.abandoned.connect(presenter.abandoned)
        state.refused.connect(self._refused)
        state.next_round.compared.connect(self._window.navigator.show_rounds)
        state.clerks.saved.connect(self._window.saved)
        state.clerks.page_saved.connect(window.exports.saved)
        state.autosave.saved.connect(self._window.check_saved)
        self._window.progress.cancel_button.clicked.connect(state.cancel)
        for view in (window.line_up, window.mix_match, window.parts, window.names, window.reply, window.rounds):
            view.corrected.connect(state.correct)
        for page in (self._window.reply, self._window.paper):
            page.slow_to_save.connect(lambda of, path, writer: state.clerks.save_page(of, path, state.client, writer))
            page.saved_to.connect(window.exports.saved)

    def _keep_letter(self, form: str, text: str) -> None:
        """A letter that left the window belongs to the round's history."""
        self._window.state.autosave.add_letter(SentLetter(at=now(), form=form, text=text))

    def _connect_views(self) -> None:
        window = self._window
        state, steps, bench, panel = window.state, window.steps, window.bench, window.brief_panel
        for step, show in (
            (steps.sheet, window.navigator.show_sheet),
            (steps.line_up, window.navigator.show_line_up),
            (steps.mix_match, window.navigator.show_mix_match),
            (steps.parts, window.navigator.show_parts),
            (steps.names, window.navigator.show_names),
            (steps.reply, window.navigator.show_reply),
            (steps.rounds, window.navigator.show_rounds),
            (steps.ready, window.navigator.show_ready),
            (window.band.next, window.navigator.next_step),
        ):
            step.clicked.connect(show)
        steps.brief_button.clicked.connect(window.navigator.open_brief)
        steps.troubles_button.clicked.connect(self._show_troubles)
        steps.find_field.textChanged.connect(lambda words: window.filter.find())
        steps.left_field.connect(lambda: window.sheet.setFocus())
        window.songs.chosen.connect(lambda song: window.presenter.fill())
        window.likely.confirmed.connect(state.sorter.set_roles)
        window.likely.refused.connect(lambda paths: state.sorter.set_roles(dict.fromkeys(paths, Role.TRACKOUT)))
        window.likely.shown.connect(window.filter.keep_likely)
        window.sheet.chosen.connect(window.presenter.show_on_bench)
        bench.panel.decide_wanted.connect(lambda f, path, at: window.deciding.offer([f], path, at))
        bench.panel.taken_back.connect(lambda d: window.deciding.take_back(d.decision, of_client=d.of_client))
        window.reply.decide_wanted.connect(lambda findings, at: window.deciding.offer(findings, "", at))
        window.sheet.entered.connect(lambda: bench.waveform.setFocus())
        for picture in bench.pictures.values():
            picture.wanted.connect(state.reader.request_picture)
        for view in (bench.waveform, window.line_up.canvas, window.line_up.edge):
            view.samples_wanted.connect(state.reader.request_samples)
        window.line_up.tempo_given.connect(self._set_tempo)
        for files in (window.line_up, window.mix_match):
            files.file_wanted.connect(window.navigator.show_in_sheet)
        window.rounds.file_wanted.connect(window.navigator.show_in_sheet)
        window.rounds.partial_wanted.connect(lambda partial: state.next_round.join_again(partial=partial))
        window.rounds.history_wanted.connect(lambda: window.exports.save_history())
        window.ready.corrected.connect(state.correct)
        window.ready.write_wanted.connect(window.ready_writing.ask)
        window.ready.cancel_wanted.connect(window.ready_writing.cancel)
        state.opening.connect(lambda words, name: window.ready_writing.cancel())
        window.mix_match.mix_named.connect(state.sorter.set_rough_mix)
        window.reply.written.connect(self._keep_letter)
        window.playback.changed.connect(window.navigator.show_player)
        panel.edited.connect(self._edit_brief)
        panel.misses.connect(window.filter.keep_misses)
        panel.parts_wanted.connect(window.navigator.show_parts)
        panel.page_button.clicked.connect(window.navigator.show_paper)
        panel.closed.connect(lambda: window.navigator.open_brief(False))
        window.parts.parts_edited.connect(lambda parts, words: self._edit_brief("parts", parts, words))
        window.parts.word_taken.connect(self._take_word)
        window.paper.left.connect(window.navigator.show_sheet)
        for action, tally in window.band.tallies.items():
            tally.clicked.connect(lambda checked, a=action: window.filter.keep_action(a if checked else None))

    def _refused(self, words: str) -> None:
        if not self._window.state.is_measuring:
            self._window.presenter.abandoned()
        self._window.say(readable(words))

    def _show_troubles(self) -> None:
        state = self._window.state
        page = LeftOutPage(self._window, self._window.theme, *sentences(state.intake, state.delivery))
        page.accepted.connect(state.open_again)
        page.open()

    def _set_tempo(self, name: str, bpm: float | None) -> None:
        """Take the tempo the user gives a song; it is known by its name in the intake."""
        state = self._window.state
        if state.intake is not None and state.delivery is not None:
            song = state.intake.songs[[s.name for s in state.delivery.sets].index(name)]
            state.correct(state.corrections.with_tempo(song, bpm), "Tempo")

    def _edit_brief(self, key: str, value: object, words: str) -> None:
        if not self._window.state.briefs.edit(key, value, words):
            self._window.presenter.show_brief()

    def _take_word(self, part: str, phrase: str) -> None:
        if self._window.state.add_word(part, phrase):
            self._window.say(f"“{readable(phrase)}” is recognised as {readable(part)} from now on.")
