"""What every part of the API stands on: parsers, refusals, conflicts, headers, the OpenAPI document.

Knows none of the apps.
"""
