"""Measurements, as ratios within one run on one machine. `make bench` prints them."""
