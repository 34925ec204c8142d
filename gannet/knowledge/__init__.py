"""Articles: written, found, published."""
