"""The live stream: that something happened, told to whom it concerns, at once."""
