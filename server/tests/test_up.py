"""How soon a server is up after it ended by itself."""

import os
import subprocess
import sys
from pathlib import Path

ASKED = "import sys, django; django.setup(); import backend.urls; print('scipy.signal' in sys.modules)"


def test_a_server_is_up_without_libraries_that_only_preparation_needs(tmp_path):
    env = {**os.environ, "DJANGO_SETTINGS_MODULE": "backend.settings", "UPBEAT_VAR": str(tmp_path)}
    server = Path(__file__).parents[1]
    done = subprocess.run([sys.executable, "-c", ASKED], cwd=server, env=env, capture_output=True, text=True)
    assert done.stdout == "False\n", done.stderr
