"""People, teams, roles, signing in, keys and tokens."""
