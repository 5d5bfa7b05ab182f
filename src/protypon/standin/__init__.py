"""Small site platforms of our own that demos and tests run. They know nothing of the core: a run of them is the oracle."""
