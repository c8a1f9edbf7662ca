"""Reports: the same findings, told to a terminal or to a program."""
