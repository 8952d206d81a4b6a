"""What `./run` does, one module a command."""
