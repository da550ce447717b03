#!/usr/bin/env python3
"""Django's command line for Fendo's server (started by ./fendo, which sets FENDO_DATA and DATABASE_URL)."""

import os
import sys
from pathlib import Path

if __name__ == "__main__":
    here = Path(__file__).resolve().parent
    sys.path[:0] = [str(here), str(here.parent / "core"), str(here.parent / "demo")]
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "fendo_server.settings")
    from django.core.management import execute_from_command_line

    execute_from_command_line(sys.argv)
