"""`python -m ypsiform`."""

from .cli.start import main

main()
