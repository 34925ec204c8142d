"""How it went: figures recounted from the tickets."""
