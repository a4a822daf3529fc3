#include "runtimes/python/conventions.h"

namespace omnistasis::python {

const Conventions& conventions() {
    static const Conventions row{
        .language = "python",
        .project_files = {"pyproject.toml", "setup.py", "setup.cfg"},
        .passed_folders = {"__pycache__", "htmlcov", "venv", "env", "site-packages", "__pypackages__"},
        .environment_marks = {"pyvenv.cfg"},
        .passed_folder_endings = {".egg-info", ".dist-info"},
        .passed_files = {"pyproject.toml", "setup.py", "setup.cfg", "MANIFEST.in", "tox.ini", "noxfile.py",
                         "conftest.py", "pytest.ini", "Pipfile", "Pipfile.lock", "poetry.lock", "uv.lock",
                         "pdm.lock"},
        .passed_file_starts = {"requirements"},
        .passed_file_endings = {".pyc", ".pyo", ".egg-link"},
        .test_files = {"test_*.py"},
        .cache_folders = {"__pycache__"},
        .compiled_endings = {".pyc"},
        .module_stores = {"modules.store"},
        .interpreters = {"python", "python3"},
        .credential_files = {".pypirc"},
        .shared_folders = {"python3"},
        .package_folders = {"site-packages"},
    };
    return row;
}

} // namespace omnistasis::python
