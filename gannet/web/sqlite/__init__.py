"""Django's own backend for SQLite, with one thing more: who writes, waits in turn."""
