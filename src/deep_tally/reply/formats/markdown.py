"""A page as Markdown (CommonMark 0.31)."""

from __future__ import annotations

import re

from deep_tally.reply.page import Page

_MARKDOWN_SPECIAL = re.compile(r"([\\`*_\[\]<>#|~])")


def to_markdown(page: Page) -> str:
    """CommonMark. Characters of file names that mean something there are escaped; pictures are left out."""
    parts: list[str] = []
    for block in page.blocks:
        text = _MARKDOWN_SPECIAL.sub(r"\\\1", block.text)
        if block.kind == "title":
            parts.append(f"# {text}")
        elif block.kind == "section":
            parts.append(f"## {text}")
        elif block.kind == "heading":
            number = f"{block.number}\\. " if block.number else ""
            parts.append(f"### {number}{text}")
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
