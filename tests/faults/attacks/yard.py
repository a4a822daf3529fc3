"""What the attacks share: folders of a victim and of somebody else, and small applications."""

import os
import shutil
import subprocess
import tempfile

VICTIM, OTHER = 23401, 23402  # users that no system has


class Skipped(Exception):
    pass


class Yard:
    def __init__(self, options):
        self.options = options
        self.races = options.races
        self.folder = tempfile.mkdtemp(prefix="omnistasis attacks ")
        self.outside = []  # files in folders that all use
        os.chmod(self.folder, 0o755)

    def __enter__(self):
        return self

    def __exit__(self, *_):
        for path in self.outside:
            shutil.rmtree(path, ignore_errors=True) if os.path.isdir(path) and not os.path.islink(path) else os.path.lexists(path) and os.remove(path)
        shutil.rmtree(self.folder, ignore_errors=True)

    def path(self, *names):
        return os.path.join(self.folder, *names)

    def write(self, name, content, mode=0o644):
        os.makedirs(os.path.dirname(self.path(name)), exist_ok=True)
        with open(self.path(name), "wb" if isinstance(content, bytes) else "w") as file:
            file.write(content)
        os.chmod(self.path(name), mode)
        return self.path(name)

    def needs_root(self):
        if os.geteuid() != 0:
            raise Skipped("only root can be several users")

    def folder_of(self, name, user, mode=0o755):
        os.makedirs(self.path(name), exist_ok=True)
        os.chmod(self.path(name), mode)
        os.chown(self.path(name), user, user)
        return self.path(name)

    def run(self, command, user=None, environment=None, cwd=None, timeout=120):
        """The finished process; `environment` is all that it gets besides PATH."""

        def become():
            os.setgroups([])
            os.setresgid(user, user, user)
            os.setresuid(user, user, user)

        return subprocess.run(
            command, cwd=cwd or self.folder, env={"PATH": "/usr/local/bin:/usr/bin:/bin", "LANG": "C.UTF-8", **(environment or {})},
            capture_output=True, text=True, errors="replace", stdin=subprocess.DEVNULL, timeout=timeout, preexec_fn=become if user is not None else None,
        )  # fmt: skip

    def omnistasis(self, *arguments, environment=None, cwd=None, user=None, timeout=120):
        home = {"HOME": self.path("home of the builder"), **(environment or {})}
        return self.run([self.options.program, *arguments], environment=home, cwd=cwd, user=user, timeout=timeout)

    def build(self, entry, *options, out="out"):
        """Builds for this system; gives the output's path."""
        runtime = self.options.node if entry.endswith(".js") else self.options.python
        if not os.path.exists(runtime):
            raise Skipped(f"{runtime} is not installed")
        done = self.omnistasis("build", entry, "--runtime", runtime, "--compress", "fast", "--out", self.path(out), "-q", *options)
        assert done.returncode == 0, done.stderr
        name = os.path.splitext(os.path.basename(entry))[0]
        output = self.path(out, name)
        return os.path.join(output, name) if os.path.isdir(output) else output

    def tree_in(self, cache):
        """The only tree in a cache folder."""
        (tree,) = [os.path.join(cache, "omnistasis", name) for name in os.listdir(os.path.join(cache, "omnistasis")) if not name.startswith(".")]
        return tree
