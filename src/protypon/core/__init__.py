"""The computation: no terminal, no page; every function here can be called from Python and is tested alone."""
