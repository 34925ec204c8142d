"""Major incidents: declaring, the room, updates on time, standing down, the review."""
