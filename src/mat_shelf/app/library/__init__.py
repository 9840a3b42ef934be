"""The library's panel and its dialogs."""
