"""What is kept: releases, former texts, the journal, ledgers, proposals; and a plan brought to the disk."""
