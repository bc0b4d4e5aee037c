"""Sends what `core.wire` builds to the addresses in the model list, and to no others."""
