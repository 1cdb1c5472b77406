"""Which view is shown, and what stands around it."""

from __future__ import annotations

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from PySide6.QtWidgets import QWidget

    from deep_tally.app.shell.window import Window


class Navigator:
    """Goes from view to view; each is filled when it is gone to."""

    def __init__(self, window: Window) -> None:
        self._window = window
        self._is_brief_open = False

    def show_sheet(self) -> None:
        """Go to the sheet, or to the first page when nothing is open."""
        if self._window.state.intake is not None:
            self.show_page(self._window.desk)
            self._window.sheet.setFocus()
        else:
            self.show_page(self._window.empty)

    def show_in_sheet(self, path: str) -> None:
        """Go to a file in the sheet."""
        self.show_sheet()
        self._window.sheet.go_to(path)

    def show_line_up(self) -> None:
        """Go to the line-up, at the file the sheet is at."""
        if self._is_assessed():
            window = self._window
            self.show_page(window.line_up)
            window.presenter.fill_page()
            window.listening.warm_up()
            if window.sheet.current_path:
                window.line_up.list.go_to(window.sheet.current_path)
            window.line_up.list.setFocus()

    def show_mix_match(self) -> None:
        """Go to the comparison of the rough mix with the files."""
        if self._is_assessed():
            self.show_page(self._window.mix_match)
            self._window.presenter.fill_page()
            self._window.mix_match.table.setFocus()

    def show_parts(self) -> None:
        """Go to the parts the brief asks for."""
        if self._is_assessed():
            self.show_page(self._window.parts)
            self._window.presenter.fill_page()
            self._window.parts.tree.setFocus()

    def show_names(self) -> None:
        """Go to the new names."""
        if self._is_assessed():
            self.show_page(self._window.names)
            self._window.presenter.fill_page()
            table = self._window.names.table
            table.setFocus()
            if not table.currentIndex().isValid():
                table.selectRow(0)

    def show_reply(self) -> None:
        """Go to the reply, when there is one."""
        if self._is_assessed():
            self._window.presenter.fill_reply()
            self.show_page(self._window.reply)
            self._window.reply.text.setFocus()

    def show_ready(self) -> None:
        """Go to the ready copy."""
        if self._is_assessed():
            self.show_page(self._window.ready)
            self._window.presenter.fill_page()
            self._window.ready.list.setFocus()

    def show_rounds(self) -> None:
        """Go to the rounds, when there is one before this."""
        if self._is_assessed():
            if self._window.state.next_round.rounds is None:
                self._window.say("There is only one round yet. File > Open the next round… compares the next files.")
                return
            self.show_page(self._window.rounds)
            self._window.presenter.fill_page()
            self._window.rounds.tree.setFocus()

    def show_paper(self) -> None:
        """Go to the client's page; it needs no delivery."""
        self.show_page(self._window.paper)
        self._window.presenter.fill_page()
        self._window.paper.text.setFocus()

    def _is_assessed(self) -> bool:
        """Whether there is an assessed delivery; says why not, and marks the step that is still shown."""
        if self._window.state.delivery is not None:
            return True
        if (page := self._window.pages.currentWidget()) is not None:
            self.show_page(page)
        if self._window.state.intake is not None:
            self._window.say("Wait until all files are measured, or cancel; then this can be shown.")
        return False

    def next_step(self) -> None:
        """Go to the reply, or save it where it is shown."""
        if self._window.pages.currentWidget() is self._window.reply:
            self._window.reply.save_as()
        else:
            self.show_reply()

    def save_reply(self) -> None:
        """Go to the reply and save it."""
        if self._window.state.delivery is not None:
            self.show_reply()
            self._window.reply.save_as()

    def copy_reply(self) -> None:
        """Copy the reply as text, without going there."""
        if self._window.state.delivery is not None:
            self._window.presenter.fill_reply()
            self._window.reply.copy_text()

    def show_empty(self) -> None:
        """The first page, before the views are made."""
        window = self._window
        window.pages.setCurrentWidget(window.empty)
        window.steps.setVisible(False)
        window.band.show_steps(is_open=False, is_reply=False)

    def show_page(self, page: QWidget) -> None:
        """Go to a view, with what belongs around it."""
        window = self._window
        listening = window.listening
        if page is not window.pages.currentWidget() and listening.loop_s is not None:
            listening.set_loop(None)  # another view has other marks, and files elsewhere
        window.pages.setCurrentWidget(page)
        window.playback.show_page(page)
        has_delivery = window.state.intake is not None
        is_open = has_delivery and page is not window.empty
        window.steps.setVisible(is_open)
        self.show_player()
        # Nothing was received yet that could be compared with the brief; the client's page is made from it.
        window.brief_panel.setVisible(self._is_brief_open and (has_delivery or page is window.paper))
        window.presenter.show_coverage()
        steps = {
            window.desk: window.steps.sheet,
            window.line_up: window.steps.line_up,
            window.mix_match: window.steps.mix_match,
            window.parts: window.steps.parts,
            window.names: window.steps.names,
            window.reply: window.steps.reply,
            window.rounds: window.steps.rounds,
            window.ready: window.steps.ready,
        }
        window.steps.mark(steps.get(page))
        window.steps.show_sheet_tools(page is window.desk)
        window.band.show_steps(is_open=is_open, is_reply=page is window.reply)

    def show_player(self) -> None:
        """The bar of listening stands under the views of all files, and elsewhere while something plays."""
        window = self._window
        is_here = window.pages.currentWidget() in (window.line_up, window.mix_match) or window.listening.is_playing
        is_match = window.pages.currentWidget() is window.mix_match and window.mix_match.shown is not None
        window.player_bar.show_match(is_match)
        window.player_bar.setVisible(window.state.intake is not None and is_here)

    def restore_brief(self) -> None:
        """The brief is open where it was when the program was used last."""
        self._is_brief_open = self._window.settings.text("brief open") == "yes"
        self._window.steps.brief_button.setChecked(self._is_brief_open)

    def open_brief(self, is_open: bool) -> None:
        """Open the brief beside the sheet, or close it."""
        window = self._window
        focused = window.focusWidget()
        had_focus = focused is not None and window.brief_panel.isAncestorOf(focused)
        self._is_brief_open = is_open
        window.brief_panel.setVisible(is_open)
        window.steps.brief_button.setChecked(is_open)
        window.settings.set_text("brief open", "yes" if is_open else "no")
        if is_open:
            window.presenter.show_brief()
            window.presenter.show_coverage()
            window.brief_panel.focus_first()
        elif had_focus and (page := window.pages.currentWidget()) is not None:
            page.setFocus()

    def toggle_brief(self) -> None:
        """Open the brief, or close it."""
        self.open_brief(not self._is_brief_open)
