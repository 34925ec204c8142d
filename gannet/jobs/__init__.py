"""Long work in the background: acts on many, imports, exports, replays."""
