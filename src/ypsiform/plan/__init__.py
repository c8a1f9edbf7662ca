"""The plan of a migration: every decision in a file that a specialist edits.

`file` reads `migration.toml`, `links` reads and writes `links.csv`, `draft` writes both with the
decisions that Ypsiform suggests.
"""
