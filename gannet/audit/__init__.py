"""The event log: numbered, chained, signed; backup and restore."""
