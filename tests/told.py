"""What the program writes as JSON, checked against the schema that it gives out."""

import json

import jsonschema

from vettore.cli.schema import whole_schema

WHOLE = whole_schema()


def checked(text):
    """Return JSON after a check of every field: a new one, a missing one or one of another type fails."""
    told = json.loads(text)
    known = {"$ref": "#/$defs/" + told["schema"].replace("/", "~1"), "$defs": WHOLE["$defs"]}
    jsonschema.Draft202012Validator(known).validate(told)
    return told
