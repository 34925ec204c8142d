"""The demo: Northmere Ferries, its people, rulebook, two years of history, and today."""
