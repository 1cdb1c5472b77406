"""A page as plain text."""

from __future__ import annotations

from collections.abc import Iterator

from deep_tally.reply.page import Block, BlockKind, Page


def to_text(page: Page) -> str:
    """Plain text, as it can be pasted into any mail. Pictures are left out."""
    lines: list[str] = []
    before: BlockKind | None = None
    for block in page.blocks:
        if block.kind == "picture":
            continue
        if before is not None and not (block.kind == before == "item") and block.kind != "hint":
            lines.append("")
        lines += _text_lines(block)
        before = block.kind
    return "\n".join(lines) + "\n"


def _text_lines(block: Block) -> Iterator[str]:
    if block.kind == "title":
        yield block.text
        yield "=" * len(block.text)
    elif block.kind == "section":
        yield block.text
        yield "-" * len(block.text)
    elif block.kind in ("heading", "question"):
        yield f"{block.number}. {block.text}" if block.number else block.text
    elif block.kind == "item":
        yield f"   - {block.text}"
    elif block.kind == "hint":
        yield f"   {block.text}"
    else:
        yield block.text
