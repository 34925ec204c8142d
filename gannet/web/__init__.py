"""What answering over the web needs, whatever is asked: it knows no app."""
