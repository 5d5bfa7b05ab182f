"""The same value, and the same statement done just once, written in many ways: so that lineages have all that a language can say in them."""

from __future__ import annotations

import random

PHP_VALUES = (
    "(fn() => {0})()", "[{0}][0]", "['k' => {0}]['k']", "(true ? {0} : null)", "(null ?? {0})", "match(true) {{ default => {0} }}",
    "(function () {{ return {0}; }})()", "(static fn($d) => $d)({0})", "(function () {{ $d = {0}; $e = &$d; return $e; }})()",
    "(new class {{ public $d = {0}; }})->d", "(new class {{ function d() {{ return {0}; }} }})->d()", "(new class {{ const D = {0}; }})::D",
    "(function (...$d) {{ return $d[0]; }})({0})", "(function ($d, $e) {{ return $e; }})(e: {0}, d: 1)", "((object) ['d' => {0}])->d",
    "(function () {{ foreach ([1, {0}] as $d) {{}} return $d; }})()", "(function () {{ [, $d] = [1, {0}]; return $d; }})()",
    "(function () {{ try {{ return {0}; }} finally {{ }} }})()", "array_values([{0}])[0]", "(function () {{ static $d = 1; $d = {0}; return $d; }})()",
    "(function () {{ $d = ['x' => ['y' => 1]]; $d['x']['y'] = {0}; return $d['x']['y']; }})()", "max({0}, {0})",
)  # fmt: skip
"""In each, ``{0}`` is a constant expression."""
PYTHON_VALUES = (
    "(lambda: {0})()", "[{0}][0]", "{{'k': {0}}}['k']", "({0} if True else None)", "(None or {0} or {0})", "(lambda d: d)({0})",
    "(lambda *d: d[0])({0})", "(lambda d, e: e)(e={0}, d=1)", "[d for d in ({0},)][0]", "(lambda d={0}: d)()", "({0}, 1)[0]",
    "(d := {0})", "max({0}, {0})", "dict(k={0})['k']", "list(({0},))[-1]", "[*[1], {0}][1]", "{{**{{'k': 1}}, 'k': {0}}}['k']",
)  # fmt: skip
PHP_DONE = (
    "do {{ {0} }} while (false);", "for ($d = 0; $d < 1; $d++) {{ {0} }}", "switch (2) {{ case 1: break; case 2: {0} break; default: echo 'no'; }}",
    "try {{ {0} }} finally {{ }}", "try {{ throw new Exception('x'); }} catch (Exception $d) {{ {0} }}", "(function () {{ {0} }})();",
    "foreach ([1, 2] as $d) {{ if ($d === 2) {{ {0} break; }} }}", "while (true) {{ {0} break; }}", "if (($d = 1) && $d) {{ {0} }}",
    "(new class {{ function go() {{ {0} }} }})->go();", "(new class {{ static function go() {{ {0} }} }})::go();",
    "$d = function () {{ {0} }}; $d();", "(new class {{ function __invoke() {{ {0} }} }})();", "(new class {{ function __construct() {{ {0} }} }});",
    "call_user_func(function () {{ {0} }});", "foreach ([1] as $d => &$e) {{ {0} }} unset($e);", "array_map(function () {{ {0} }}, [1]);",
    "try {{ try {{ throw new LogicException('x'); }} finally {{ {0} }} }} catch (LogicException) {{ }}",
    "for ($d = 3; ; $d--) {{ if ($d > 1) {{ continue; }} {0} break; }}", "while (true) {{ while (true) {{ {0} break 2; }} }}",
    "(function () {{ if (true) {{ {0} return; }} echo 'no'; }})();", "(new class {{ function __call($d, $e) {{ {0} }} }})->anything();",
)  # fmt: skip
PYTHON_DONE = (
    "for _ in range(1):\n    {0}", "try:\n    {0}\nfinally:\n    pass", "while True:\n    {0}\n    break", "if (d := 1):\n    {0}",
    "match 1:\n    case 2:\n        pass\n    case 1:\n        {0}", "def go():\n    {0}\ngo()", "try:\n    raise ValueError('x')\nexcept ValueError:\n    {0}",
    "for d in [1, 2]:\n    if d == 2:\n        {0}", "(lambda: {0})()", "[{0} for _ in [1]]", "class D:\n    def __init__(self):\n        {0}\nD()",
    "class D:\n    @staticmethod\n    def go():\n        {0}\nD.go()", "try:\n    pass\nexcept ValueError:\n    pass\nelse:\n    {0}",
    "for _ in ():\n    pass\nelse:\n    {0}", "class D:\n    def __call__(self):\n        {0}\nD()()", "def go(*d, **e):\n    {0}\ngo(1, x=2)",
)  # fmt: skip


def value(rng: random.Random, text: str, python: bool) -> str:
    """A constant expression in another form, which gives the same."""
    return rng.choice(PYTHON_VALUES if python else PHP_VALUES).format(text)


def done(rng: random.Random, statement: str, python: bool) -> list[str]:
    """A statement of one line, done just once, as lines."""
    return rng.choice(PYTHON_DONE if python else PHP_DONE).format(statement).split("\n")
