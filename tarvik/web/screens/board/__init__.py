"""The pitch board: what each sheet can do tonight."""
