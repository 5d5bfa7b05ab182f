"""Classes that come with PHP 8 (https://www.php.net/manual/en/reserved.exceptions.php, …/reserved.interfaces.php), with what each inherits."""

from __future__ import annotations

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
"""In small letters -> all classes and interfaces above it."""


def bases(name: str) -> tuple[str, ...] | None:
    """All that a class of the language's own inherits; None where it has no class of that name."""
    return CLASSES.get(name.lower().lstrip("\\"))
