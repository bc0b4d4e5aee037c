"""The published API is true: generated requests get no 5xx, and no answer that it does not declare."""

from __future__ import annotations

import os
import re
import subprocess
import sys

import pytest

from epistem.web.app import description, make_app
from tests.kit.servers import served_wsgi
from tests.kit.subjects import library, start_trial

EACH = int(os.environ.get("EPISTEM_FUZZ_EACH", "4"))
"""Requests that are made up for each operation, at most; `make fuzz` makes more. Counted, not timed: a
machine that is busy with other things sends as many."""
PHASES = "examples,fuzzing" if EACH < 50 else "examples,coverage,fuzzing"


@pytest.mark.timeout(240 + 30 * EACH)
def test_generated_requests_get_only_answers_that_are_declared(database, two_models, tmp_path):
    with database.transaction() as tx:
        subject = library(tx)
    start_trial(database, subject)
    app = make_app(database)
    description(app)  # who asks first waits for it, on a busy machine longer than a client may
    with served_wsgi(app) as url:
        done = subprocess.run(
            [
                sys.executable, "-c", "from schemathesis.cli import schemathesis; schemathesis()",
                "run", f"{url}/api/v1/openapi.json", "-w", "1", "-n", str(EACH), "--no-shrink",
                "--seed", "1", "--phases", PHASES, "--no-color",
                # A stream of what nobody carries out does not end.
                "--exclude-operation-id", "watch",
                "-c", "not_a_server_error,status_code_conformance,content_type_conformance",
            ],
            capture_output=True, text=True, cwd=tmp_path, check=False,
        )  # fmt: skip
    assert done.returncode == 0, done.stdout[-6_000:] + done.stderr[-2_000:]
    generated = re.search(r"(\d+) generated", done.stdout)
    assert generated
    assert int(generated[1]) > 100
