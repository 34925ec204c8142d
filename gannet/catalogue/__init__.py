"""The catalogue: what people can ask for, and asking for it."""
