"""In the field: the evening on a leader's phone, with or without network."""
