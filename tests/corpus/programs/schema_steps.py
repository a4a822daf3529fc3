import contextlib
import io
import os
import tempfile

import alembic.command
import alembic.config

with tempfile.TemporaryDirectory() as folder, contextlib.redirect_stdout(io.StringIO()):
    alembic.command.init(alembic.config.Config(folder + "/alembic.ini"), folder + "/steps")
    made = sorted(os.listdir(folder + "/steps"))
print(made)
