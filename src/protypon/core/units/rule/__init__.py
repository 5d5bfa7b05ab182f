"""Rules of style sheets: what a child says for a selector that a parent's sheet has a rule for."""
