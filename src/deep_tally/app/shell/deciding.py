"""Decisions about findings: the menu of a finding, the page of all decisions, and what holds for a client for good."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QPoint
from PySide6.QtWidgets import QMenu

from deep_tally.app.base.plain import as_plain
from deep_tally.app.shell.actions import add_action
from deep_tally.app.shell.decide_dialog import DecideDialog
from deep_tally.check.decided import things_of
from deep_tally.model.decisions import Decision, DecisionKind
from deep_tally.model.errors import DeepTallyError
from deep_tally.model.findings import Finding
from deep_tally.reply.action_words import readable
from deep_tally.reply.decision_words import DECISION_MEANINGS, DECISION_WORDS
from deep_tally.reply.numbers import count
from deep_tally.reply.wording.speaker import Speaker
from deep_tally.session.client_decisions import decisions_of, keep_of_client

if TYPE_CHECKING:
    from deep_tally.app.shell.window import Window

_PLAIN: tuple[DecisionKind, ...] = ("meant", "here", "asked")


class Deciding(QObject):
    """Puts decisions into the corrections, where they can be undone."""

    def __init__(self, window: Window) -> None:
        super().__init__(window)
        self._window, self._state = window, window.state

    def offer(self, findings: Sequence[Finding], path: str, place: QPoint) -> None:
        """Open the menu of decisions about findings; `path` is the file that is looked at, or empty."""
        menu = QMenu(self._window)
        self._window.theme.style(menu)
        menu.setToolTipsVisible(True)
        for kind in _PLAIN:
            said = self._about(findings, path, kind)
            action = add_action(menu, DECISION_WORDS[kind], partial(self._decide, said, kind))
            action.setToolTip(as_plain(DECISION_MEANINGS[kind]))
        add_action(menu, "Answered…", lambda: self.ask(findings, path, "answered"))
        menu.addSeparator()
        add_action(menu, "With a note, or for more files…", lambda: self.ask(findings, path))
        menu.aboutToHide.connect(menu.deleteLater)
        menu.popup(place)

    def ask(self, findings: Sequence[Finding], path: str, kind: DecisionKind = "meant") -> None:
        """Ask what is decided, with which note and how far it reaches."""
        delivery = self._state.delivery
        if delivery is None or not findings:
            return
        headline = Speaker(delivery).headline(findings[0]) if len(findings) == 1 else count(len(findings), "finding")
        names, reaches = self._reaches(findings, path)
        dialog = DecideDialog(self._window, self._window.theme, readable(headline), names, kind)
        is_decided = dialog.exec()
        dialog.deleteLater()
        if is_decided:
            chosen = reaches[dialog.reach]
            decisions = [replace(d, kind=dialog.kind, note=dialog.note) for d in chosen[1]]
            if chosen[0]:
                self._keep_for_client(decisions)
            else:
                self._decide(decisions, dialog.kind)

    def _about(self, findings: Sequence[Finding], path: str, kind: DecisionKind) -> list[Decision]:
        """Decisions about one file where the findings hold for each of their files, else about all of them."""
        made = []
        for finding in findings:
            about = (path,) if path in finding.by_file else things_of(finding)
            made.append(Decision(code=finding.code, kind=kind, about=about, song=finding.song))
        return made

    def _reaches(self, findings: Sequence[Finding], path: str) -> tuple[list[str], list[tuple[bool, list[Decision]]]]:
        """How far a decision can reach: in words, and as (for the client for good, decisions)."""
        names: list[str] = []
        reaches: list[tuple[bool, list[Decision]]] = []
        some = self._about(findings, path, "meant")
        every = self._about(findings, "", "meant")
        if some != every:
            names.append(readable(path.rpartition("/")[2]))
            reaches.append((False, some))
        number = len({thing for d in every for thing in d.about})
        names.append(f"all {number} of them" if number > 1 else "this one")
        reaches.append((False, every))
        codes = [Decision(code=f.code, kind="meant", scope="code") for f in findings]
        names.append("everything of this kind in this delivery")
        reaches.append((False, codes))
        client = self._state.corrections.letter.client.strip()
        if client:
            family = self._family(path)
            if family:
                names.append(f"always for {readable(client)}, with files of this family ({family})")
                reaches.append(
                    (True, [Decision(code=f.code, kind="meant", scope="code", family=family) for f in findings])
                )
            names.append(f"always for {readable(client)}")
            reaches.append((True, codes))
        return names, reaches

    def _family(self, path: str) -> str:
        delivery = self._state.delivery
        for song in delivery.sets if delivery is not None else ():
            if path in song.names:
                family = song.names[path].family
                return family if family != "other" else ""
        return ""

    def _decide(self, decisions: Sequence[Decision], kind: DecisionKind) -> None:
        said = self._state.corrections
        for decision in decisions:
            said = said.with_decision(decision)
        self._state.correct(said, f"“{DECISION_WORDS[kind]}”")

    def take_back(self, decision: Decision, *, of_client: bool) -> None:
        """Take a decision back, of this delivery or of its client."""
        if of_client:
            client = self._state.corrections.letter.client
            self.forget(client, decision)
        else:
            self._state.correct(self._state.corrections.without_decision(decision), "Take a decision back")

    def _keep_for_client(self, decisions: Sequence[Decision]) -> None:
        client = self._state.corrections.letter.client.strip()
        self._change_client(client, (*decisions_of(client), *decisions))

    def forget(self, client: str, decision: Decision) -> None:
        """Forget what was said of a client for good."""
        self._change_client(client, tuple(d for d in decisions_of(client) if d != decision))

    def _change_client(self, client: str, decisions: tuple[Decision, ...]) -> None:
        before = decisions_of(client)
        try:
            keep_of_client(client, decisions)
        except DeepTallyError as error:
            self._window.say(str(error))
            return
        self._state.assess_again()
        self._window.offer.ask(
            readable(f"From now on, this holds for {client}." if len(decisions) > len(before) else "Forgotten."),
            (
                ("Undo", "As it was before", lambda: self._restore(client, before)),
                ("Fine", "Leave it so", None),
            ),
        )

    def _restore(self, client: str, decisions: tuple[Decision, ...]) -> None:
        try:
            keep_of_client(client, decisions)
        except DeepTallyError as error:
            self._window.say(str(error))
        self._state.assess_again()

    def show_all(self) -> None:
        """Show all decisions, of this delivery and of all clients."""
        from deep_tally.app.shell.decisions_page import DecisionsPage

        page = DecisionsPage(self._window, self._window.theme, self._state, self)
        page.open()
