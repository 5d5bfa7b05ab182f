"""Functions that come with PHP, followed: from plain values what they give, what they change, or the error that they raise."""
