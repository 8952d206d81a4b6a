"""One person's bed for the night."""
