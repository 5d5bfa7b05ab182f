"""What commands do: each action works on an overlay and returns a plan (pure data) with what there is to tell."""
