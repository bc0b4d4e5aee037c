"""Write the API's description to a file: `python -m epistem.web.openapi FILE`."""

from __future__ import annotations

import json
import sys
from pathlib import Path

from epistem.web.app import description, make_app


def main() -> None:
    Path(sys.argv[1]).write_text(
        json.dumps(description(make_app(None)), indent=1, sort_keys=True) + "\n"
    )


if __name__ == "__main__":
    main()
