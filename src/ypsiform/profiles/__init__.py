"""The profile language: what a platform's files look like, in one description for both ways."""
