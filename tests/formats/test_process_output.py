# SPDX-License-Identifier: GPL-3.0-or-later
"""What processes of ours print is kept with a limit, and not shown."""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import time
import unittest
from pathlib import Path
from unittest import mock

from tests import starts_processes
from zolvek.storage import process_output, python_process


class Output(unittest.TestCase):
    @starts_processes
    def test_it_is_kept_with_a_limit(self) -> None:
        """Also where a process prints without end: the file stays small, and the process is not held up."""
        with tempfile.TemporaryDirectory() as name, mock.patch.dict(os.environ, {"XDG_STATE_HOME": name}):
            prints = "os.write(2, b'first line\\n'); [os.write(2, b'x' * 65536) for _ in range(200)]"
            code = f"import os; {prints}; os.write(1, b'.')"
            process = python_process.begin([sys.executable, "-c", code])
            assert process.stdout is not None
            self.assertEqual(process.stdout.read(1), b".")
            python_process.end(process, 5.0)
            python_process.shut(process)
            path = process_output.output_file()
            self.until(lambda: path.stat().st_size >= process_output.MOST_BYTES)
            text = path.read_bytes()
            self.assertIn(b"first line\n", text)
            self.assertLess(len(text), process_output.MOST_BYTES + 1_000)
            path.write_bytes(b"x" * (process_output.LARGEST_BYTES + 1))
            self.said("again")
            self.until(lambda: b"again" in path.read_bytes())
            self.assertLess(path.stat().st_size, 1_000)
            self.assertTrue(Path(f"{path}.old").is_file())

    def said(self, text: str) -> None:
        process = python_process.begin([sys.executable, "-c", f"import sys; sys.stderr.write({text!r})"])
        python_process.end(process, 5.0)
        python_process.shut(process)

    def test_it_is_shown_where_that_is_wanted(self) -> None:
        with mock.patch.dict(os.environ, {process_output.VERBOSE: "1"}):
            self.assertIsNone(process_output.destination())
        with mock.patch.dict(os.environ):
            os.environ.pop(process_output.VERBOSE, None)
            self.assertEqual(process_output.destination(), subprocess.PIPE)

    def until(self, test: object) -> None:
        assert callable(test)
        end = time.monotonic() + 10.0
        while not test():
            self.assertLess(time.monotonic(), end)
            time.sleep(0.02)


if __name__ == "__main__":
    unittest.main()
