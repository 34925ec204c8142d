"""What tries a draft of the rulebook out: checks, rehearsals, replays, and publishing it."""
