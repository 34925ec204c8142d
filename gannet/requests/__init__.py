"""Requests: the catalogue, asking for something of it, and fulfilling it."""
