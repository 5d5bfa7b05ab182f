"""How much of anything is read. Every reader has a bound here; ``docs/reference/safety.md`` lists them, and a test holds the two together."""

from __future__ import annotations

MIB = 1 << 20

ARCHIVE_BYTES = 512 * MIB
"""Bytes that an archive may have, as it lies there and unpacked."""
ARCHIVE_MEMBERS = 40_000
"""Files, folders and links that an archive may have."""
ARCHIVE_INDEX = 16 * MIB
"""Bytes of a zip's central directory."""
ARCHIVE_HEADER = MIB // 16
"""Bytes of one header of a tar (a long name, extended attributes)."""
ARCHIVE_HEADERS = 8 * MIB
"""Bytes of all such headers of a tar."""
ARCHIVE_BETWEEN = 48 * MIB
"""Bytes of a tar that are no contents."""
ARCHIVE_WINDOW = 64 * MIB
"""Memory that unpacking one member may take (the dictionary of xz)."""
PATH_BYTES = 1024
"""Bytes of one path below a theme, an archive or a bench."""
PATH_PARTS = 64
"""Folders of one path."""
LINK_BYTES = 4096
"""Bytes of the target of a link."""
FILE_BYTES = 256 * MIB
"""Bytes of one file of a theme; a larger one is named and left out."""
FOLDER_FILES = 500_000
"""Files of one folder that is listed."""
SOURCE_BYTES = MIB
"""Bytes of a source that is parsed; what a larger one says is not known."""
TEMPLATE_BYTES = MIB // 4
"""The same of a Jinja template."""
MANIFEST_BYTES = MIB // 4
"""Bytes of a manifest."""
FIELD_LENGTH = 10_000
"""Characters of one text in a manifest."""
INI_LINES = 5000
"""Lines of one INI manifest."""
YAML_EVENTS = 5000
"""Keys, values, lists and tables of one YAML manifest."""
PLATFORM_BYTES = MIB
"""Bytes of a platform file."""
PATTERN_BYTES = 1000
"""Bytes of one pattern or expression of a platform file."""
PATTERN_SECONDS = 1.0
"""How long one expression of a platform file may look for a match."""
LEDGER_BYTES = MIB
"""Bytes of a ledger."""
CONFIG_BYTES = MIB // 16
"""Bytes of ``protypon.toml``."""
STATE_BYTES = 256 * MIB
"""Bytes of one file in ``.protypon/``: releases, journal."""
CACHE_BYTES = 1024 * MIB
"""Bytes of the cache; a larger one is begun anew."""
CODE_STEPS = 60_000
"""Statements, calls and values that are followed of one lineage's code for one question."""
CODE_TOTAL = 120_000
"""The same for all kinds of page of one lineage together."""
CODE_DEPTH = 100
"""Calls within calls that are followed."""
PERHAPS_FILES = 50
"""Files that a name made at run time may stand for, and that are all followed."""
TEMPLATES_DEEP = 30
"""Templates within templates that are rendered."""
BLOCKS_DEEP = 60
"""Blocks within blocks that are rendered."""
RECORDING_BYTES = 1 << 25
"""Bytes of a recording of one request."""
TRIAL_SECONDS = 20
"""Seconds of a page of a trial."""
TRIAL_MEMORY = 1 << 30
"""Bytes of memory that the interpreter may take there."""
TRIAL_BYTES = 1 << 24
"""Bytes that it may print."""
