"""The runbooks of Northmere Ferries, as its simulator runs them."""

from collections.abc import Mapping

from gannet.tickets.outward import Runbook

RUNBOOKS: Mapping[str, Runbook] = {
    book.key: book
    for book in (
        Runbook(
            "unlock-account",
            "Unlock an account",
            "Lifts the lock after too many wrong passwords.",
            {"account": "Account or e-mail"},
            ("Looked up {account}", "Lifted the lock", "Checked that signing in works"),
        ),
        Runbook(
            "reset-password",
            "Set a new password",
            "Sets a one-time password and sends it to the person's manager.",
            {"account": "Account or e-mail"},
            ("Looked up {account}", "Set a one-time password", "Sent it to the line manager"),
        ),
        Runbook(
            "create-account",
            "Create an account",
            "Makes the account and its mailbox.",
            {"account": "Name in the address"},
            ("Checked that {account} is free", "Made the account", "Made the mailbox"),
            {"address": "{account}@northmere.example"},
        ),
        Runbook(
            "restart-till",
            "Restart a till",
            "Restarts a ticket office till and waits for it to come back.",
            {"till": "Name of the till"},
            ("Asked {till} to restart", "Waited for it to answer", "Printed a test slip"),
        ),
        Runbook(
            "clear-print-queue",
            "Empty a print queue",
            "Removes stuck jobs and starts the queue again.",
            {"printer": "Name of the printer"},
            ("Stopped the queue of {printer}", "Removed the stuck jobs", "Started the queue"),
        ),
    )
}
