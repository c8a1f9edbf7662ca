"""`python -m ypsiform`."""

from .cli.main import main

main()
