"""A client that reads pages as browsers do: any run of white space is one space."""

from __future__ import annotations

import re
from typing import Any

from django.test import Client


class Reader(Client):
    """Django's client; HTML that it gets has its white space squeezed, so that a test can look for sentences."""

    def request(self, **request: Any) -> Any:
        response = super().request(**request)
        if not response.streaming and response.get("Content-Type", "").startswith("text/html"):
            response.content = re.sub(rb"\s+", b" ", response.content)
        return response
