"""System checks: a wrong set-up is refused at the start, by name and with a hint."""

from typing import Any

from django.conf import settings
from django.core.checks import Error, Tags, register


@register(Tags.security)
def refuse_unsafe_start(app_configs: Any, **kwargs: Any) -> list[Error]:
    """Outside demo and tests: a secret, hosts, https and real mail, or no start."""
    if settings.IS_DEMO:
        return []
    problems = []

    def refuse(number: int, message: str, hint: str) -> None:
        problems.append(Error(message, hint=hint, id=f"gannet.E{number:03}"))

    if len(settings.SECRET_KEY) < 40:
        refuse(1, "The secret key is missing or short.", "Set GANNET_SECRET_KEY, 40 or more.")
    if settings.DEBUG:
        refuse(2, "DEBUG is on.", "Leave it off outside development.")
    if not settings.ALLOWED_HOSTS or "*" in settings.ALLOWED_HOSTS:
        refuse(3, "The hosts are open.", "Set GANNET_HOSTS to the names people use.")
    if not (settings.SESSION_COOKIE_SECURE and settings.CSRF_COOKIE_SECURE):
        refuse(4, "Cookies would travel unencrypted.", "Keep the secure cookies of production.py.")
    if not settings.PUBLIC_URL.startswith("https://"):
        refuse(5, "The public address is not https.", "Set GANNET_URL to https://…")
    if settings.STANDIN_MAIL:
        refuse(6, "The stand-in mail server is on.", "It shows everybody's mail: demo only.")
    if "@" not in settings.DESK_ADDRESS:
        refuse(7, "The desk has no address.", "Set GANNET_DESK_ADDRESS.")
    return problems
