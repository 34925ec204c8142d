from django.apps import AppConfig


class UpkeepConfig(AppConfig):
    name = "gannet.upkeep"
    label = "upkeep"

    def ready(self) -> None:
        from django.db.models.signals import post_save

        from gannet.knowledge.actions import article_published, article_state_set
        from gannet.knowledge.search import also_said
        from gannet.messages.notices import optional
        from gannet.problems.models import ProblemFacts
        from gannet.tickets.actions import redact
        from gannet.upkeep import events, removing, ruling  # noqa: F401 - declares its kinds
        from gannet.upkeep.followed import index_again, said_beside
        from gannet.upkeep.telling import EVENT

        article_published.connect(ruling.published)
        article_state_set.connect(ruling.state_set)
        also_said.append(said_beside)
        post_save.connect(index_again, ProblemFacts)
        redact.text_removed.connect(removing.text_removed)
        redact.file_removed.connect(removing.file_removed)
        optional |= {
            EVENT: "On Mondays, by mail: which of my articles want a hand",
            "article disputed": "An article of mine did not help somebody",
            "article answered": "I am answered on an article that did not help me",
            "article changed": "An article that I follow says something new",
            "article to review": "An article waits for its review",
            ruling.EVENT: "A rule of the rulebook tells me of an article",
        }
