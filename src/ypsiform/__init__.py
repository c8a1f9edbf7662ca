"""Ypsiform: navigation menus of one platform, written as another platform's import file."""

__version__ = "0.1.0"
