"""The rulebook as it is in force: editions, read while working."""
