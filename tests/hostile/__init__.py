"""Input that is meant to harm, or merely unlucky: archives, benches, manifests, texts, stores."""
