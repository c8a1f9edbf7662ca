"""Writing: a fitted site into a neutral tree by the rules of a profile, a file for each section."""
