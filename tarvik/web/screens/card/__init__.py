"""Participants' cards: the links, and the card itself."""
