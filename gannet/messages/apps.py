from django.apps import AppConfig


class MessagesConfig(AppConfig):
    name = "gannet.messages"
    label = "messages"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        from gannet.knowledge.actions import article_published
        from gannet.messages import following, listener
        from gannet.messages.outbox import guard
        from gannet.tickets.telling import listen
        from gannet.web.given import guard_texts

        guard_texts(guard)
        listen(listener)
        article_published.connect(following.published)
