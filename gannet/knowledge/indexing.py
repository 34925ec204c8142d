"""What is kept of an article to find it by: its words, and what it links to."""

from gannet.knowledge import links, search
from gannet.knowledge.models import Article


def index(article: Article) -> None:
    """Index what readers of an article see, instead of what it was."""
    search.index(article)
    links.note(article)
