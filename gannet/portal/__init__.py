"""What those who ask see: their page, their tickets, the way of each."""
