"""Services and configuration items: what all this is about."""
