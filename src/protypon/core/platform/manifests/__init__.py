"""Manifests as text: one module a syntax."""
