"""What commands do: each action reads a snapshot and returns a plan (pure data) with what there is to tell."""
