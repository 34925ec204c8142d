"""The frame of every record: people, holder, clocks, lists, conversation, history."""
