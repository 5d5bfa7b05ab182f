"""Three texts into one, or the places that need a person: by lines, and by unit; how alike texts are."""
