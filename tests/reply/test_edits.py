"""What a user changed in a letter, taken out of it and put into it again."""

from __future__ import annotations

from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from deep_tally.model.letter_edits import NO_EDITS, LetterEdits, OwnLine, Reworded
from deep_tally.reply.edits import edits_between, with_edits, without_newer, without_reworded
from deep_tally.reply.page import Block, Page

KEYS = ("title", "greeting", "again", "again:a.wav", "question:is-twin", "farewell")
WRITTEN = Page(tuple(Block("text", f"text of {key}", key=key) for key in KEYS))


def texts(page: Page) -> list[str]:
    return [block.text for block in page.blocks]


def edited(*blocks: Block) -> LetterEdits:
    return edits_between(WRITTEN, Page(blocks), NO_EDITS)


def test_nothing_changed_is_no_edit() -> None:
    assert edits_between(WRITTEN, WRITTEN, NO_EDITS) == NO_EDITS
    assert with_edits(WRITTEN, NO_EDITS) == WRITTEN


def test_a_reworded_block_keeps_its_words_and_shows_when_the_letter_says_something_else() -> None:
    blocks = list(WRITTEN.blocks)
    blocks[1] = replace(blocks[1], text="Dear all")
    edits = edited(*blocks)
    assert edits.reworded == {"greeting": Reworded("Dear all", "text of greeting")}
    assert with_edits(WRITTEN, edits).blocks[1] == replace(blocks[1], newer="")
    now = Page(tuple(replace(b, text="Hello Marit") if b.key == "greeting" else b for b in WRITTEN.blocks))
    shown = with_edits(now, edits).blocks[1]
    assert (shown.text, shown.newer) == ("Dear all", "Hello Marit")
    kept = without_newer(edits, shown)
    assert (with_edits(now, kept).blocks[1].text, with_edits(now, kept).blocks[1].newer) == ("Dear all", "")
    assert with_edits(now, without_reworded(edits, "greeting")) == now


def test_typing_elsewhere_does_not_settle_a_paragraph_that_says_something_else_by_now() -> None:
    before = LetterEdits(reworded={"greeting": Reworded("Dear all", "what it said once")})
    shown = with_edits(WRITTEN, before)
    blocks = list(shown.blocks)
    blocks[-1] = replace(blocks[-1], text="Bye")
    after = edits_between(WRITTEN, Page(tuple(blocks)), before)
    assert after.reworded["greeting"].instead_of == "what it said once"
    assert with_edits(WRITTEN, after).blocks[1].newer == "text of greeting"


def test_words_that_are_put_back_or_changed_again_are_no_longer_the_old_ones() -> None:
    before = LetterEdits(reworded={"greeting": Reworded("Dear all", "what it said once")})
    assert edits_between(WRITTEN, WRITTEN, before).reworded == {}
    blocks = list(WRITTEN.blocks)
    blocks[1] = replace(blocks[1], text="Dear you")
    after = edits_between(WRITTEN, Page(tuple(blocks)), before)
    assert after.reworded == {"greeting": Reworded("Dear you", "text of greeting")}


def test_a_picture_that_was_copied_is_no_line_of_ones_own() -> None:
    assert edited(*WRITTEN.blocks, Block("picture", "a waveform")).own == ()


def test_a_deleted_question_or_file_is_left_out_and_another_paragraph_removed() -> None:
    kept = [b for b in WRITTEN.blocks if b.key not in ("greeting", "again:a.wav", "question:is-twin")]
    edits = edited(*kept)
    assert edits.left_out == ("again:a.wav", "is-twin")
    assert edits.removed == ("greeting",)
    assert "text of greeting" not in texts(with_edits(WRITTEN, edits))


def test_own_lines_stay_behind_their_block_or_at_the_end_where_it_is_gone() -> None:
    first, *rest = WRITTEN.blocks
    edits = edited(Block("text", "top"), first, Block("text", "mine"), *rest)
    assert edits.own == (OwnLine("top", ""), OwnLine("mine", "title"))
    assert texts(with_edits(WRITTEN, edits))[:3] == ["top", "text of title", "mine"]
    without = Page(tuple(rest))
    assert texts(with_edits(without, edits))[-1] == "mine"


def test_a_paragraph_that_was_split_is_its_block_and_a_line_of_ones_own() -> None:
    blocks = list(WRITTEN.blocks)
    blocks[1:2] = [Block("text", "text", key="greeting"), Block("text", "of greeting", key="greeting")]
    edits = edited(*blocks)
    assert edits.reworded["greeting"].text == "text"
    assert edits.own == (OwnLine("of greeting", "greeting"),)


def test_an_order_of_ones_own_holds_and_what_is_new_stands_behind_what_it_follows() -> None:
    a, b, *rest = WRITTEN.blocks
    edits = edited(b, a, *rest)
    assert texts(with_edits(WRITTEN, edits))[:2] == ["text of greeting", "text of title"]
    new = Block("text", "new", key="again:b.wav")
    more = Page((*WRITTEN.blocks[:4], new, *WRITTEN.blocks[4:]))
    shown = texts(with_edits(more, edits))
    assert shown[shown.index("new") - 1] == "text of again:a.wav"
    assert shown[:2] == ["text of greeting", "text of title"]


@given(st.permutations(KEYS), st.sets(st.sampled_from(KEYS)), st.sets(st.sampled_from(KEYS)))
def test_what_is_taken_out_and_put_in_again_is_the_letter_as_it_was_left(
    order: list[str], gone: set[str], changed: set[str]
) -> None:
    by_key = {b.key: b for b in WRITTEN.blocks}
    left = [replace(by_key[k], text=f"my {k}") if k in changed else by_key[k] for k in order if k not in gone]
    edits = edits_between(WRITTEN, Page(tuple(left)), NO_EDITS)
    asked = {f"question:{key}" for key in edits.left_out} | set(edits.left_out)
    again = Page(tuple(b for b in WRITTEN.blocks if b.key not in asked))
    assert texts(with_edits(again, edits)) == [b.text for b in left]


@pytest.mark.parametrize("page", [Page(()), WRITTEN])
def test_edits_of_another_letter_stay(page: Page) -> None:
    before = LetterEdits(reworded={"elsewhere": Reworded("x", "y")}, left_out=("one",), removed=("two",))
    after = edits_between(page, page, before)
    assert after.reworded == before.reworded
    assert (after.left_out, after.removed) == (("one",), ("two",))
