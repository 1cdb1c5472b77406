"""A page as HTML, with its pictures inside."""

from __future__ import annotations

from deep_tally.reply.page import Block, Page
from deep_tally.reply.picture import with_title


def to_html(page: Page, *, is_drawn: bool = True) -> str:
    """One self-contained HTML file: no script, no link, pictures inside, or only their words."""
    import jinja2  # only needed when a reply is saved

    environment = jinja2.Environment(
        loader=jinja2.PackageLoader("deep_tally.reply", "templates"), autoescape=True, undefined=jinja2.StrictUndefined
    )
    groups: list[tuple[str, list[Block], int]] = []
    for block, level in page.outline:
        if block.kind in ("item", "question") and groups and groups[-1][0] == block.kind:
            groups[-1][1].append(block)
        else:
            groups.append((block.kind, [block], level))
    return environment.get_template("page.html").render(
        title=page.title, language=page.language, groups=groups, drawn=with_title if is_drawn else None
    )
