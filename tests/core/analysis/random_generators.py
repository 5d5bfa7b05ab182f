"""Random programs whose generators stand still and go on: in loops, one by one, inside each other, with values sent in and errors caught."""

from __future__ import annotations

import random


class RandomGenerators:
    """Some generator functions, and code that asks them for values in turn."""

    def __init__(self, language: str, rng: random.Random) -> None:
        self.language, self.rng, self.count = language, rng, 0

    def program(self) -> str:
        functions = [self.function(number) for number in range(self.rng.randint(1, 3))]
        uses = [self.use(len(functions)) for _ in range(self.rng.randint(1, 4))]
        start = "box = [0]\n" if self.language == "python" else "class Box { static $n = 0; }\n"
        known = (
            "import os\ndef unknown(): return os.environ.get('NOPE_X')\n"
            if self.language == "python"
            else "function unknown() { return getenv('NOPE_X'); }\n"
        )
        return known + start + "\n".join([*functions, *uses]) + "\n"

    def fresh(self) -> str:
        self.count += 1
        return str(self.count)

    # Generators

    def function(self, number: int) -> str:
        lines = [line for _ in range(self.rng.randint(1, 4)) for line in self.step(number, 0)]
        if self.language == "python":
            return "\n".join(
                [f"def g{number}(p=1):", *(f"    {line}" for line in lines), "    yield 'z'", "    return 'r'"]
            )
        return "\n".join([f"function g{number}($p = 1) {{", *lines, "yield 'z';", "return 'r'; }"])

    def step(self, number: int, depth: int) -> list[str]:
        kinds = ["give", "give", "sent", "note", "change", "loop", "if", "try", "all", "end", "mark"]
        kind = self.rng.choice(kinds if depth < 2 else kinds[:5])
        return list(getattr(self, f"_{kind}")(number, depth))

    def body(self, number: int, depth: int) -> list[str]:
        return [line for _ in range(self.rng.randint(1, 2)) for line in self.step(number, depth + 1)]

    def _give(self, number: int, depth: int) -> list[str]:
        if self.language == "python":
            return [f"yield {self.rng.choice(('p', '7', 'box[0]', '[p, 2]'))}"]
        what = self.rng.choice(("$p", "7", "Box::$n", "5 => $p", "'k' => 2"))
        return [f"yield {what};"]

    def _sent(self, number: int, depth: int) -> list[str]:
        if self.language == "python":
            return ["s = yield p", "say('s', s if isinstance(s, (int, str)) else 'n')"]
        return ["$s = yield $p;", "echo 's', is_int($s) || is_string($s) ? $s : 'n';"]

    def _note(self, number: int, depth: int) -> list[str]:
        return ["say('in', box[0])"] if self.language == "python" else ["echo 'in', Box::$n;"]

    def _mark(self, number: int, depth: int) -> list[str]:
        return [f"mark('g{number}{self.fresh()}', 'f')" + (";" if self.language == "php" else "")]

    def _change(self, number: int, depth: int) -> list[str]:
        if self.language == "python":
            return ["box[0] += 1", "p = box[0] * 2"]
        return ["Box::$n++;", "$p = Box::$n * 2;"]

    def _loop(self, number: int, depth: int) -> list[str]:
        inside = self.body(number, depth)
        name = f"i{self.fresh()}"
        if self.language == "python":
            return [f"for {name} in range({self.rng.randint(1, 3)}):", *(f"    {line}" for line in inside)]
        return [f"for (${name} = 0; ${name} < {self.rng.randint(1, 3)}; ${name}++) {{", *inside, "}"]

    def _if(self, number: int, depth: int) -> list[str]:
        inside = self.body(number, depth)
        sure = self.rng.random() < 0.7
        if self.language == "python":
            return [f"if {'box[0] > 0' if sure else 'unknown()'}:", *(f"    {line}" for line in inside)]
        return [f"if ({'Box::$n > 0' if sure else 'unknown()'}) {{", *inside, "}"]

    def _try(self, number: int, depth: int) -> list[str]:
        inside, last = self.body(number, depth), self.rng.random() < 0.5
        if self.language == "python":
            handler = (
                ["finally:", "    say('fin')"]
                if last
                else [f"except {self.rng.choice(('ValueError', 'Exception', 'KeyError'))}:", "    say('caught')"]
            )
            return ["try:", *(f"    {line}" for line in inside), *handler]
        handler = ["} finally { echo 'fin'; }"] if last else ["} catch (Exception $e) { echo 'caught'; }"]
        return ["try {", *inside, *handler]

    def _all(self, number: int, depth: int) -> list[str]:
        if not number:
            return self._give(number, depth)
        inner = f"g{self.rng.randrange(number)}"
        if self.language == "python":
            return [f"r = yield from {self.rng.choice((f'{inner}(p)', '[1, 2]', 'range(2)'))}", "say('r', r)"]
        return [
            f"$r = yield from {self.rng.choice((f'{inner}($p)', '[1, 2]'))};",
            "echo 'r', is_string($r) ? $r : 'n';",
        ]

    def _end(self, number: int, depth: int) -> list[str]:
        if self.language == "python":
            return [f"if box[0] > {self.rng.randint(1, 4)}:", "    return 'early'"]
        return [f"if (Box::$n > {self.rng.randint(1, 4)}) return 'early';"]

    # Uses

    def use(self, functions: int) -> str:
        return str(getattr(self, f"_use_{self.language}")(f"g{self.rng.randrange(functions)}"))

    def _use_python(self, name: str) -> str:
        kind = self.rng.randrange(8)
        given = self.rng.choice(("", "3", "'t'"))
        made = f"{name}({given})"
        show = "say(v if isinstance(v, (int, str)) else len(v) if isinstance(v, list) else 'n')"
        if kind == 0:
            return f"for v in {made}:\n    {show}"
        if kind == 1:
            return (
                f"a = {made}\nfor v in a:\n    {show}\n    if box[0] > 1: break\nsay('left')\nfor v in a:\n    {show}"
            )
        if kind == 2:
            return f"a = {made}\nb = {made}\nfor v, w in zip(a, b):\n    {show}"
        if kind == 3:
            return f"a = {made}\nsay('new')\ntry:\n    v = next(a)\n    {show}\n    v = a.send('S')\n    {show}\nexcept StopIteration:\n    say('stop')"
        if kind == 4:
            return f"a = {made}\nv = next(a, 'none')\n{show}\nbox[0] += 1\nfor v in a:\n    {show}"
        if kind == 5:
            return f"say(len(list({made})))\nsay(any(x == 7 for x in {made}))"
        if kind == 6:
            return f"a = (x for x in {made} if x != 7)\nbox[0] += 1\nfor v in a:\n    {show}"
        return f"a = {made}\nif unknown():\n    next(a, 0)\nfor v in a:\n    {show}"

    def _use_php(self, name: str) -> str:
        kind = self.rng.randrange(8)
        given = self.rng.choice(("", "3", "'t'"))
        made = f"{name}({given})"
        show = "echo is_int($v) || is_string($v) ? $v : 'n';"
        if kind == 0:
            return f"foreach ({made} as $k => $v) {{ echo $k; {show} }}"
        if kind == 1:
            return (
                f"$a = {made}; foreach ($a as $v) {{ {show} if (Box::$n > 1) break; }} echo 'left'; {self._rest(show)}"
            )
        if kind == 2:
            return f"$a = {made}; $b = {made}; while ($a->valid() && $b->valid()) {{ $v = $a->current(); {show} $b->next(); $a->next(); }}"
        if kind == 3:
            return f"$a = {made}; echo 'new'; $v = $a->current(); {show} $v = $a->send('S'); {show} echo $a->valid() ? 'more' : 'end';"
        if kind == 4:
            return f"$a = {made}; try {{ $v = $a->throw(new Exception('x')); {show} }} catch (Exception $e) {{ echo 'out'; }}"
        if kind == 5:
            return f"echo count(iterator_to_array({made}, false)); $a = {made}; foreach ($a as $v) {{}} echo $a->getReturn();"
        if kind == 6:
            return f"$a = {made}; $a->next(); Box::$n++; $a->next(); $v = $a->valid() ? $a->current() : 'end'; {show}"
        return f"$a = {made}; if (unknown()) {{ $a->next(); }} {self._rest(show)}"

    def _rest(self, show: str) -> str:
        return f"while ($a->valid()) {{ $v = $a->current(); {show} $a->next(); }}"
