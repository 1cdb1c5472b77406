"""A letter with what the user changed in it, and back: the changes that make one letter of another.

Every block is known by its key. What the user wrote stands in its block; all other blocks follow the findings.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator
from dataclasses import replace

from deep_tally.model.letter_edits import LetterEdits, OwnLine, Reworded
from deep_tally.reply.page import Block, Page

AGAIN, QUESTION = "again:", "question:"


def with_edits(page: Page, edits: LetterEdits) -> Page:
    """The page as the user wants it.

    A reworded block whose words in the letter are others by now carries them in `Block.newer`: one of both is to be
    chosen.
    """
    return replace(page, blocks=tuple(_edited(page, edits)))


def _edited(page: Page, edits: LetterEdits) -> Iterator[Block]:
    own: dict[str, list[OwnLine]] = defaultdict(list)
    keys = {block.key for block in page.blocks}
    last = page.blocks[-1].key if page.blocks else ""
    for line in edits.own:
        own[line.after if line.after in keys or not line.after else last].append(line)
    yield from (Block("text", line.text) for line in own.pop("", ()))
    for block in _in_order(page.blocks, edits.order):
        if block.key not in edits.removed:
            said = edits.reworded.get(block.key)
            newer = block.text if said is not None and said.instead_of != block.text else ""
            yield replace(block, text=said.text, newer=newer) if said is not None else block
        yield from (Block("text", line.text) for line in own.pop(block.key, ()))


def _in_order(blocks: tuple[Block, ...], order: tuple[str, ...]) -> list[Block]:
    """As the user ordered them; what is new stands after the block that it usually follows."""
    by_key = {block.key: block for block in blocks}
    ordered = [by_key[key] for key in order if key in by_key]
    placed = {block.key for block in ordered}
    before = ""
    for block in blocks:
        if block.key not in placed:
            at = next((n + 1 for n, b in enumerate(ordered) if b.key == before), 0)
            ordered.insert(at, block)
            placed.add(block.key)
        before = block.key
    return ordered


def edits_between(written: Page, shown: Page, before: LetterEdits) -> LetterEdits:
    """What the user changed, from what was written to what they left.

    Parameters
    ----------
    written : Page
        The letter without the user's words.
    shown : Page
        As the user left it. A block without a key, or with one that was there already, is a line of their own.
    before : LetterEdits
        What was in force; what concerns no block of this letter stays, and so do texts that stand for another wording.
    """
    was = {block.key: block for block in written.blocks if block.key}
    kept: dict[str, str] = {}
    own: list[OwnLine] = []
    after = ""
    for block in shown.blocks:
        if block.key in was and block.key not in kept:
            kept[block.key] = block.text
            after = block.key
        elif block.kind != "picture":
            own.append(OwnLine(block.text, after))
    gone = [key for key in was if key not in kept]
    reworded = {key: said for key, said in before.reworded.items() if key not in was}
    for key, text in kept.items():
        said = before.reworded.get(key)
        if said is not None and said.text == text:
            reworded[key] = said
        elif text != was[key].text:
            reworded[key] = Reworded(text, was[key].text)
    requests = [_request_of(key) for key in gone if key.startswith((AGAIN, QUESTION))]
    removed = [key for key in gone if not key.startswith((AGAIN, QUESTION))]
    return replace(
        before,
        left_out=tuple(dict.fromkeys([*before.left_out, *requests])),
        removed=tuple(dict.fromkeys([*before.removed, *removed])),
        reworded=reworded,
        own=tuple(own),
        order=() if list(kept) == [key for key in was if key in kept] else tuple(kept),
    )


def _request_of(key: str) -> str:
    """A question is left out by the key of its task, a file by its own: what counts them follows."""
    return key.removeprefix(QUESTION)


def without_newer(edits: LetterEdits, block: Block) -> LetterEdits:
    """The user's words stay, and what the letter says now is known."""
    return replace(edits, reworded={**edits.reworded, block.key: Reworded(block.text, block.newer)})


def without_reworded(edits: LetterEdits, key: str) -> LetterEdits:
    """The letter's own words again."""
    return replace(edits, reworded={k: said for k, said in edits.reworded.items() if k != key})
