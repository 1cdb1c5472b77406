"""A page of typed blocks, and how it becomes text, Markdown and HTML."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal

from deep_tally.reply.picture import Picture, with_title

BlockKind = Literal["title", "text", "section", "heading", "item", "hint", "picture"]


@dataclass(frozen=True, slots=True)
class Block:
    """One paragraph of a page. A `heading` may be numbered; a `hint` is small print; a `picture` shows evidence."""

    kind: BlockKind
    text: str
    number: int | None = None
    picture: Picture | None = None


@dataclass(frozen=True, slots=True)
class Page:
    """The blocks of a page, in order."""

    blocks: tuple[Block, ...]

    @property
    def title(self) -> str:
        """The text of its title; empty when it was deleted."""
        return next((b.text for b in self.blocks if b.kind == "title"), "")


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
    elif block.kind == "heading":
        yield f"{block.number}. {block.text}" if block.number else block.text
    elif block.kind == "item":
        yield f"   - {block.text}"
    elif block.kind == "hint":
        yield f"   {block.text}"
    else:
        yield block.text


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


def to_html(page: Page) -> str:
    """One self-contained HTML file: no script, no link, pictures inside."""
    import jinja2  # only needed when a reply is saved

    environment = jinja2.Environment(
        loader=jinja2.PackageLoader("deep_tally.reply", "templates"), autoescape=True, undefined=jinja2.StrictUndefined
    )
    groups: list[tuple[str, list[Block]]] = []
    for block in page.blocks:
        if block.kind == "item" and groups and groups[-1][0] == "item":
            groups[-1][1].append(block)
        else:
            groups.append((block.kind, [block]))
    return environment.get_template("page.html").render(title=page.title, groups=groups, drawn=with_title)
