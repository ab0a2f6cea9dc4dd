"""Rounds: asked for, proposed, accepted, followed."""
