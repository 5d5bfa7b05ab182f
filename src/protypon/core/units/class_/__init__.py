"""Classes of an ancestor that the child declares in their place, and methods of them that it overrides in classes of its own."""
