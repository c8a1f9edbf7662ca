"""The commands: one file each, which parses, calls the library, and shows what came of it."""
