"""The published shapes of what the API takes and answers about tickets."""
