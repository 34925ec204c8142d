"""Articles on paper: one, or those of a category one after the other, with their pictures."""

from collections.abc import Sequence
from html import escape

from django.utils.formats import date_format
from django.utils.timezone import localtime

from gannet.knowledge import pictures
from gannet.knowledge.models import Article, ArticlePicture, ArticleState
from gannet.web.markdown import as_html
from gannet.web.pdf import WITH_PAGE, as_pdf
from gannet_core.instants import instant_of

MOST = 200


def articles_as_pdf(articles: Sequence[Article], title: str, now_s: int) -> bytes:
    """Articles as their readers see them, as one PDF; of several, what is in it comes first."""
    shown = {
        f"{pictures.address(row.pk)}{name}": (row.pk, name)
        for row in articles
        for name in pictures.shown_in(row.body)
    }
    rows = ArticlePicture.objects.filter(article__in=[row.pk for row in articles])
    kept = {(one.article_id, one.name): one for one in rows}
    files = {
        address: (kept[which].content_type, pictures.content_of(kept[which]))
        for address, which in shown.items()
        if which in kept
    }
    parts = [_part(row) for row in articles]
    if len(articles) > 1:
        lines = "".join(f"<li>{escape(row.title)}</li>" for row in articles)
        parts.insert(0, f"<section class='part'><h1>{escape(title)}</h1><ul>{lines}</ul></section>")
    said = date_format(localtime(instant_of(now_s)), "j F Y")
    return as_pdf(title, "".join(parts), f"{title}, {said}", pictures=files)


def _part(row: Article) -> str:
    """An article as a part of a page."""
    html = as_html(row.body, pictures.address(row.pk))
    html = html.replace('<img src="/', f'<img src="{WITH_PAGE}/')
    text = html or "".join(f"<p>{escape(part)}</p>" for part in row.body.split("\n\n") if part)
    waits = "" if row.state == ArticleState.PUBLISHED else f", {row.state}"
    facts = f"article {row.pk}, version {row.version}{waits}"
    return (
        f"<section class='part'><h1>{escape(row.title)}</h1>"
        f"<p class='quiet'>{escape(facts)}</p>{text}</section>"
    )
