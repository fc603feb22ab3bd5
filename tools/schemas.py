"""Writes the JSON Schemas of the record files to where they are shipped."""

import json
from pathlib import Path

import sparring.files
from sparring.files.record_files import SCHEMAS

for name, record in SCHEMAS.items():
    path = Path(sparring.files.__file__).parent / "schemas" / f"{name}.json"
    path.write_text(
        json.dumps(record.model_json_schema(), indent=2, ensure_ascii=False) + "\n",
        encoding="utf-8",
    )
    print(path.name)
