"""What a check says of code that is no override: one module each for functions, hooks, markup, regions, names."""
