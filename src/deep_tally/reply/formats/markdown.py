"""A page as Markdown (CommonMark 0.31)."""

from __future__ import annotations

import re

from deep_tally.reply.page import Page

_MARKDOWN_SPECIAL = re.compile(r"([\\`*_\[\]<>#|~])")


def to_markdown(page: Page) -> str:
    """CommonMark. Characters of file names that mean something there are escaped; pictures are left out."""
    parts: list[str] = []
    for block, level in page.outline:
        text = _MARKDOWN_SPECIAL.sub(r"\\\1", block.text)
        if level:
            parts.append(f"{'#' * level} {text}")
        elif block.kind == "question":
            parts.append(f"{block.number}\\. {text}" if block.number else text)
        elif block.kind == "item":
            item = f"- {text}"
            if parts and parts[-1].startswith("- "):
                parts[-1] += f"\n{item}"
            else:
                parts.append(item)
        elif block.kind == "hint":
            parts.append(f"*{text}*" if text else "")
        elif block.kind == "text":
            parts.append(text)
    return "\n\n".join(parts) + "\n"
