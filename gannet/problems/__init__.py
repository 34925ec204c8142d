"""Problems: what lies behind incidents that keep coming, its cause, its cost and its end."""
