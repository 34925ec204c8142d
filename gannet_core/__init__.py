"""Gannet's computation: pure functions over plain values.

Nothing here imports Django, reads a file or the clock: the caller passes `now`
and gets back an answer with the data that explain it. Instants are
timezone-aware; durations are whole seconds.
"""
