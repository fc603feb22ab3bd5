"""Logs as text: figures in columns, whatever parts them."""

from __future__ import annotations

from sparring.exchange.importing import LogFormat
from sparring.files import log_files, log_look

IMPORT = LogFormat(
    "text-log", "Logs", (".csv", ".tsv", ".txt", ".log"), look=log_look.look, read=log_files.read
)
