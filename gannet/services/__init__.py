"""Services and items as the desk sees them: health, the map, what a stop reaches, drift."""
