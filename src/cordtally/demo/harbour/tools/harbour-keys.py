"""Stands in for whatever hands out secrets in your place: prints them as JSON."""

import json

print(json.dumps({"survey": "not-a-real-pw/survey"}))
