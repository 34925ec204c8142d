"""The worker: timers that are due, and rounds of everything else."""
