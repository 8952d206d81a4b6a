"""What the provider's owners see: people, invitations, the outbox."""
