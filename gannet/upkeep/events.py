"""What happens to articles that the log keeps."""

from gannet.audit.kinds import EventKind


class ArticleEvent:
    """The kinds of events of articles."""

    WORDS_REMOVED = EventKind(
        "article words removed",
        lambda told: f"{told.who} removed words of article {told.value('article')}",
    )
