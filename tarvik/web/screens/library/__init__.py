"""The kit library: what the provider owns, its condition, and which course has it."""
