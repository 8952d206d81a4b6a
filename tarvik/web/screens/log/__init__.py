"""The log: how each shelter did, predicted beside measured, and what that teaches."""
