"""On call: the rota of each team, and paging whoever's turn it is until somebody answers."""
