"""What the child had first, and a release of the parent brings too."""

from __future__ import annotations

import shutil
import unittest
from typing import ClassVar

from tests.support import BenchCase

GREENS = {"hedgerow.yaml": 'title: Pier\nrelease: "{}"\n', "leaves/page.php": "<p>page</p>\n"}


class CollidesTest(BenchCase):
    OLD: ClassVar[dict[str, str | bytes]] = {
        "pages/home.html": '{% block a %}a{% endblock %}{% include "parts/tides.html" ignore missing %}\n',
        "code/pier.py": "import quay\n",
    }

    def release(self, files: dict[str, str | bytes], label: str = "2.0.0") -> str:
        return str(self.parent({**self.OLD, **files}, label, root=self.root / label))

    def test_a_file_a_block_and_a_function_that_were_there_first(self) -> None:
        self.started(self.OLD)
        self.put("themes/gull/parts/tides.html", "<p>ours</p>\n")
        self.put(
            "themes/gull/pages/home.html", '{% extends "parent:pages/home.html" %}\n{% block b %}ours{% endblock %}\n'
        )
        own = "import quay\n@quay.offer\ndef tide():\n    return 'ours'\n"
        self.put("themes/gull/code/gull.py", own)
        before = self.verdicts("gull")
        self.assertNotIn("collides", before.values())
        new = self.release(
            {
                "parts/tides.html": "<p>theirs</p>\n",
                "pages/home.html": '{% block a %}a{% endblock %}{% block b %}theirs{% endblock %}{% include "parts/tides.html" %}\n',
                "code/pier.py": "import quay\n@quay.offer\ndef tide():\n    return 'theirs'\n",
            }
        )
        wanted = {
            "template:parts/tides.html": "collides", "block:pages/home.html#b": "collides", "function:tide": "collides",
        }  # fmt: skip
        self.assertEqual(self.verdicts("gull", "--against", new), wanted)
        row = self.row("gull", "template:parts/tides.html", "--against", new)
        self.assertIn("pier 2.0.0 has template:parts/tides.html now, which no release before it had", row["because"])
        self.ok("update", "pier", "--to", new)
        self.assertEqual(self.verdicts("gull"), wanted)
        self.ok("adopt", "gull")
        self.assertNotIn("collides", self.verdicts("gull").values())

    def test_what_an_earlier_release_had_is_unlisted_and_so_is_all_where_there_is_none(self) -> None:
        self.started({**self.OLD, "parts/tides.html": "<p>old</p>\n"})
        self.put("themes/gull/parts/tides.html", "<p>ours</p>\n")
        self.assertEqual(self.verdicts("gull"), {"template:parts/tides.html": "unlisted"})
        new = self.release({"parts/tides.html": "<p>theirs</p>\n"})
        self.assertEqual(self.verdicts("gull", "--against", new), {"template:parts/tides.html": "unlisted"})

    def test_one_that_says_the_same_is_needless(self) -> None:
        self.started(self.OLD)
        self.put("themes/gull/parts/tides.html", "<p>ours</p>\n")
        new = self.release({"parts/tides.html": "<p>ours</p>\n"})
        self.assertEqual(self.verdicts("gull", "--against", new), {"template:parts/tides.html": "needless"})

    @unittest.skipUnless(shutil.which("php"), "there is no PHP interpreter here")
    def test_so_it_is_in_php(self) -> None:
        for path, text in GREENS.items():
            self.put(f"themes/pier/{path}", text.format("1.0"))
            self.put(f"new/pier/{path}", text.format("2.0"))
        self.put("themes/pier/grove.php", "<?php\n")
        self.ok("init", "--platform", "hedgerow")
        self.ok("new", "gull", "--parent", "pier")
        self.put("themes/gull/grove.php", "<?php\nfunction tide() { return 'ours'; }\n")
        self.put(
            "new/pier/grove.php", "<?php\nif (!function_exists('tide')) { function tide() { return 'theirs'; } }\n"
        )
        self.assertEqual(self.verdicts("gull"), {})
        self.assertEqual(
            self.verdicts("gull", "--against", str(self.bench / "new/pier")), {"function:tide": "collides"}
        )


if __name__ == "__main__":
    unittest.main()
