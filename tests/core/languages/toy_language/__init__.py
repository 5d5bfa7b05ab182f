"""A template language that only a test knows: ``> NAME`` takes in another file, and ``; …`` is a comment."""
