"""What can be overridden, kind by kind: found, compared, written, taken out."""
