"""Classes that come with PHP 8 (https://www.php.net/manual/en/reserved.exceptions.php, …/reserved.interfaces.php), with what each inherits."""

from __future__ import annotations

from protypon.core.languages.semantics import Contract

CLASSES: dict[str, tuple[str, ...]] = {
    "argumentcounterror": ("TypeError", "Stringable", "Throwable"), "arithmeticerror": ("Error", "Throwable", "Stringable"), "arrayaccess": (),
    "arrayiterator": ("SeekableIterator", "Traversable", "Iterator", "ArrayAccess", "Serializable", "Countable"),
    "arrayobject": ("IteratorAggregate", "Traversable", "ArrayAccess", "Serializable", "Countable"),
    "assertionerror": ("Error", "Throwable", "Stringable"), "backedenum": ("UnitEnum",),
    "badfunctioncallexception": ("LogicException", "Stringable", "Throwable"),
    "badmethodcallexception": ("BadFunctionCallException", "Throwable", "Stringable"),
    "closedgeneratorexception": ("Exception", "Throwable", "Stringable"), "closure": (), "compileerror": ("Error", "Throwable", "Stringable"),
    "countable": (), "datetime": ("DateTimeInterface",), "datetimeimmutable": ("DateTimeInterface",),
    "divisionbyzeroerror": ("ArithmeticError", "Stringable", "Throwable"), "domainexception": ("LogicException", "Stringable", "Throwable"),
    "error": ("Stringable", "Throwable"), "errorexception": ("Exception", "Throwable", "Stringable"), "exception": ("Stringable", "Throwable"),
    "ffi\\exception": ("Error", "Throwable", "Stringable"), "ffi\\parserexception": ("FFI\\Exception", "Stringable", "Throwable"),
    "fibererror": ("Error", "Throwable", "Stringable"), "generator": ("Iterator", "Traversable"),
    "invalidargumentexception": ("LogicException", "Stringable", "Throwable"), "iterator": ("Traversable",), "iteratoraggregate": ("Traversable",),
    "jsonexception": ("Exception", "Throwable", "Stringable"), "jsonserializable": (),
    "lengthexception": ("LogicException", "Stringable", "Throwable"), "logicexception": ("Exception", "Throwable", "Stringable"),
    "outofboundsexception": ("RuntimeException", "Stringable", "Throwable"), "outofrangeexception": ("LogicException", "Stringable", "Throwable"),
    "overflowexception": ("RuntimeException", "Stringable", "Throwable"), "parseerror": ("CompileError", "Stringable", "Throwable"),
    "pdoexception": ("RuntimeException", "Stringable", "Throwable"), "pharexception": ("Exception", "Throwable", "Stringable"),
    "random\\brokenrandomengineerror": ("Random\\RandomError", "Stringable", "Throwable"),
    "random\\randomerror": ("Error", "Throwable", "Stringable"), "random\\randomexception": ("Exception", "Throwable", "Stringable"),
    "rangeexception": ("RuntimeException", "Stringable", "Throwable"), "reflectionexception": ("Exception", "Throwable", "Stringable"),
    "runtimeexception": ("Exception", "Throwable", "Stringable"), "sodiumexception": ("Exception", "Throwable", "Stringable"), "stdclass": (),
    "stringable": (), "throwable": ("Stringable",), "traversable": (), "typeerror": ("Error", "Throwable", "Stringable"),
    "underflowexception": ("RuntimeException", "Stringable", "Throwable"),
    "unexpectedvalueexception": ("RuntimeException", "Stringable", "Throwable"), "unhandledmatcherror": ("Error", "Throwable", "Stringable"),
    "unitenum": (), "valueerror": ("Error", "Throwable", "Stringable"),
}  # fmt: skip
"""In small letters -> classes and interfaces above it; those above these are found there."""


_STEPS = frozenset({"current", "next", "key", "valid", "rewind"})
ASKED: dict[str, frozenset[str]] = {
    "iteratoraggregate": frozenset({"getiterator"}), "iterator": _STEPS, "seekableiterator": _STEPS | {"seek"},
    "arrayaccess": frozenset({"offsetexists", "offsetget", "offsetset", "offsetunset"}), "countable": frozenset({"count"}),
    "stringable": frozenset({"__tostring"}), "jsonserializable": frozenset({"jsonserialize"}),
}  # fmt: skip
"""The methods of interfaces that come with PHP."""
SEALED = frozenset({"getmessage", "getcode", "getfile", "getline", "gettrace", "getprevious", "gettraceasstring"})
"""The final methods of ``Exception`` and ``Error`` (…/class.exception.php, …/class.error.php)."""
CLOSED = frozenset({"closure", "generator", "fibererror", "unitenum", "backedenum", "datetimeinterface", "throwable"})
"""Final classes, and interfaces that no class of a program can implement."""


def contract(name: str) -> Contract:
    """What a class of PHP asks of those below it."""
    bare = name.lower().lstrip("\\")
    throws = bare in ("exception", "error") or "Throwable" in (bases(bare) or ())
    return Contract(ASKED.get(bare, frozenset()), SEALED if throws else frozenset(), bare in CLOSED)


def bases(name: str) -> tuple[str, ...] | None:
    """All that a class of the language's own inherits; None where it has no class of that name."""
    found = CLASSES.get(name.lower().lstrip("\\"))
    if found is None:
        return None
    above = (further for each in found for further in bases(each) or ())
    return tuple(dict.fromkeys([*found, *above]))
