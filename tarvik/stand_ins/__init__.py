"""Simulated devices and services that ship with Tarvik: seeded, for practice and tests."""
