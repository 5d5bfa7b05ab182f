"""Protypon: know what each override of a child theme claims, and carry it through the parent's releases."""

__version__ = "0.9.0"
