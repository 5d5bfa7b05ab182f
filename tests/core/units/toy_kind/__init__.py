"""A kind of unit that only a test knows: a variable that a theme gives its templates, given by the child instead."""
