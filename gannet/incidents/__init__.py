"""Incidents: something does not work as it should."""
