"""The frame of every record: number, people, holder, clocks, lists, conversation, history, links."""
