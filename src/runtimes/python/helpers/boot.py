"""The first thing that runs in a built application: imported by `encodings`, before anything else is.

It makes the modules in the store importable, without looking into any folder, and sets up what the `site` module
would. It uses built-in modules only. `run_main` starts the application.
"""

import sys
import marshal
import _imp
import _frozen_importlib
import _frozen_importlib_external as external

try:
    import posix as system

    WINDOWS = False
    SEPARATOR = "/"
except ImportError:
    import nt as system

    WINDOWS = True
    SEPARATOR = "\\"

# We lie in lib/pythonX.Y, or in Lib.
TREE = __file__.rsplit(SEPARATOR, 2 if WINDOWS else 3)[0]
STORE = __file__.rpartition(SEPARATOR)[0] + SEPARATOR + "modules.store"


def _in_tree(place):
    """The path of a place in the app tree: places have the same form on all systems."""
    return TREE + SEPARATOR + (place.replace("/", SEPARATOR) if WINDOWS else place)


def _place_of(path):
    """The place that a path leads to; None where that is not in the app tree."""
    if WINDOWS:
        path = path.replace("/", SEPARATOR)
        size = len(TREE)
        is_inside = path[size : size + 1] == SEPARATOR and path[:size].lower() == TREE.lower()
        return path[size + 1 :].replace(SEPARATOR, "/") if is_inside else None
    return path[len(TREE) + 1 :] if path.startswith(TREE + "/") else None


def _keep_store():
    """A descriptor for when root has become another user, who may not look into root's folders; -1: none."""
    if WINDOWS or system.geteuid() != 0:
        return -1, None
    try:
        descriptor = system.open(STORE, system.O_RDONLY | system.O_CLOEXEC)
        kept = system.dup2(descriptor, 250, inheritable=False)  # out of the way of the application's own
        system.close(descriptor)
        return kept, system.fstat(kept)
    except OSError:
        return -1, None


_KEPT = _keep_store()


def _open_store():
    if WINDOWS:
        return system.open(STORE, system.O_RDONLY | system.O_BINARY | system.O_NOINHERIT)
    # Opened for each read: an application may close every descriptor that it does not know, as daemons do.
    try:
        return system.open(STORE, system.O_RDONLY | system.O_CLOEXEC)
    except PermissionError:
        kept, known = _KEPT
        try:
            # Its number may be another file's by now.
            if kept >= 0 and system.fstat(kept)[1:3] == known[1:3]:
                return system.dup(kept)
        except OSError:
            pass  # it was closed
        raise


def _read_at(descriptor, size, offset):
    if not WINDOWS:
        return system.pread(descriptor, size, offset)
    system.lseek(descriptor, offset, 0)
    return system.read(descriptor, size)


def _read(offset, size):
    descriptor = _open_store()
    try:
        content = _read_at(descriptor, size, offset)
        while len(content) < size:
            more = _read_at(descriptor, size - len(content), offset + len(content))
            if not more:
                raise ImportError("the module store is cut off", path=STORE)
            content += more
        return content
    finally:
        system.close(descriptor)


_head = _read(0, 16)
if _head[:8] != b"OMNIMOD1":
    raise ImportError("the module store is damaged", path=STORE)
CONFIG, INDEX = marshal.loads(_read(16, int.from_bytes(_head[8:], "little")))
_MAIN_FILE = _in_tree(CONFIG["main"])


def _code_at(entry, path):
    """The code of a module of the store, under the name of a file."""
    content = _read(entry[0], entry[1])
    if CONFIG["sources"]:
        return compile(content, path, "exec", dont_inherit=True)
    code = marshal.loads(content)
    _imp._fix_co_filename(code, path)
    return code


def _with_moved_paths(code, moved):
    """The code with paths of the system replaced by those of the app tree, in all its text constants."""

    def changed(constant):
        if type(constant) is str:
            whole = constant.rstrip("/")
            place = moved.get(whole)
            if place is not None:
                return (TREE if place == "." else _in_tree(place)) + constant[len(whole) :]
            for path, place in moved.items():
                if path.count("/") > 2:  # others are parts of paths that lead to other things
                    constant = constant.replace(path, _in_tree(place))
        elif type(constant) is tuple:
            constant = tuple(map(changed, constant))
        elif type(constant) is type(code):
            constant = _with_moved_paths(constant, moved)
        return constant

    return code.replace(co_consts=changed(code.co_consts))


def _is_placeholder(data):
    """Whether a file stands in the tree for a module whose source is not there."""
    return data in (b"", b"\n") or data[:4] == external.MAGIC_NUMBER


class StoreLoader(external.SourcelessFileLoader):
    """Loads a module whose code is in the store. Its path is where its source would be.

    The class is one of which packages know that data can lie beside such modules.
    """

    def exec_module(self, module):
        _execute(super().exec_module, module)

    stored = None  # the name in the store, where that is another than what the module is imported as

    def _entry(self, fullname):
        return INDEX["__main__" if self.path == _MAIN_FILE else self.stored or fullname]

    def get_code(self, fullname):
        code = _code_at(self._entry(fullname), self.path)
        moved = CONFIG["moved"].get(fullname)
        return _with_moved_paths(code, moved) if moved else code

    def get_source(self, fullname):
        if CONFIG["sources"]:
            entry = self._entry(fullname)
            return external.decode_source(_read(entry[0], entry[1]))
        try:
            data = self.get_data(self.path)
        except OSError:
            return None
        return None if _is_placeholder(data) else external.decode_source(data)


def _set_variables(environ, variables):
    for name, text in variables.items():
        # "PLACE, then LIST": in front of what the user has, or of the list.
        place, goes_on, rest = text.partition(", then ")
        environ[name] = _in_tree(place) + ((";" if WINDOWS else ":") + (environ.get(name) or rest) if goes_on else "")


def _add_programs(folder):
    """The programs of the tree are found where the user has none of that name."""
    from os import defpath, environ, pathsep

    path = environ.get("PATH", defpath)
    if folder not in path.split(pathsep):
        environ["PATH"] = path + pathsep + folder


def _with_environment(function, variables):
    """Calls a function with more variables in the process's environment, and none left behind."""

    def call(*arguments, **options):
        from os import environ

        before = {name: environ.get(name) for name in variables}
        _set_variables(environ, variables)
        try:
            return function(*arguments, **options)
        finally:
            for name, value in before.items():
                if value is None:
                    environ.pop(name, None)
                else:
                    environ[name] = value

    call.__name__ = call.__qualname__ = getattr(function, "__name__", "call")
    call.__doc__ = function.__doc__
    return call


def _named(found, names):
    for name in names.split("."):
        found = getattr(found, name)
    return found


def _with_own_libraries(util):
    """ctypes.util.find_library knows the system's libraries, where the system has the tools that it asks for:
    those of the app tree come in front, and behind it what lies in the loader's own folders."""
    find_library = util.find_library

    def lies_in(folder, name):
        start = "lib%s.so" % name
        try:
            files = [file for file in system.listdir(folder) if file.startswith(start)]
        except OSError:
            files = []
        return min(files, key=len, default=None)

    def find(name):
        found = lies_in(TREE + "/lib", name) or find_library(name)
        if found:
            return found
        folders = ["/lib64", "/usr/lib64", "/lib", "/usr/lib"]
        of_processor = "/%s-linux-gnu" % system.uname().machine
        folders += [folder + of_processor for folder in ("/lib", "/usr/lib", "/usr/local/lib")]
        return next(filter(None, (lies_in(folder, name) for folder in folders)), None)

    find.__name__ = find.__qualname__ = "find_library"
    util.find_library = find


def _with_modules_of_the_store(pkgutil):
    """pkgutil lists a folder's files by default."""
    pkgutil.iter_importer_modules.register(TreeFinder, TreeFinder.iter_modules)


def _with_user_folders(site):
    """The interpreter's start sets these, where it looks into the user's folders: the application does not."""
    site.getusersitepackages()
    site.ENABLE_USER_SITE = False


def _with_windows_of_the_program(tkinter):
    """A window of Tk that sets no icon shows Tk's: here it is that of the program, which is the application's."""
    load = tkinter.Tk._loadtk

    def _loadtk(self):
        load(self)
        try:
            self.tk.call("wm", "iconbitmap", self._w, "-default", sys._base_executable)
        except tkinter.TclError:
            pass

    tkinter.Tk._loadtk = _loadtk


def _without_icon(pkgdata):
    """pygame puts an icon of its own on windows without one. Where it has none, they show the program's."""
    resource = pkgdata.getResource

    def getResource(identifier, *arguments, **options):
        if identifier.startswith("pygame_icon"):
            raise OSError("the window shows the program's icon")
        return resource(identifier, *arguments, **options)

    pkgdata.getResource = getResource


def _with_frames_of_the_program(wx):
    """A frame of wxPython that sets no icon shows the system's own: here it is that of the program."""

    def with_icon(show):
        def shown(window, *arguments, **options):
            if not window.GetIcon().IsOk():
                icons = wx.IconBundle()
                for size in wx.SYS_SMALLICON_X, wx.SYS_ICON_X:
                    edge = wx.SystemSettings.GetMetric(size)
                    icons.AddIcon(wx.Icon(sys._base_executable, wx.BITMAP_TYPE_ICO, edge, edge))
                window.SetIcons(icons)
            return show(window, *arguments, **options)

        shown.__name__ = show.__name__
        shown.__doc__ = show.__doc__
        return shown

    wx.Frame.Show = with_icon(wx.Frame.Show)
    wx.Dialog.Show = with_icon(wx.Dialog.Show)
    wx.Dialog.ShowModal = with_icon(wx.Dialog.ShowModal)


# What is done to modules once they have been executed.
_CHANGED = {"pkgutil": _with_modules_of_the_store, "site": _with_user_folders}
if sys.platform == "linux":
    _CHANGED["ctypes.util"] = _with_own_libraries
if CONFIG["program_has_icon"]:
    _CHANGED["tkinter"] = _with_windows_of_the_program
    _CHANGED["pygame.pkgdata"] = _without_icon
    _CHANGED["wx.core"] = _with_frames_of_the_program


def _execute(execute, module):
    """Executes a module as its notes want it, and does what is done to it then."""
    _execute_as_noted(execute, module)
    if module.__name__ in _CHANGED:
        _CHANGED[module.__name__](module)


def _execute_as_noted(execute, module):
    """Executes a module, with the variables that its notes want set around that and around its functions."""
    during = CONFIG["during"].get(module.__name__)
    calls = CONFIG["calls"].get(module.__name__, ())
    if during is None and not calls:
        return execute(module)
    during = during or {}

    def execute_and_call(module):
        execute(module)
        for call in calls:
            name, _, texts = call.rstrip(")").partition("(")
            _named(module, name)(*(text.strip().replace("{tree}", TREE) for text in texts.split(",") if text))

    if "import" in during:
        execute_and_call = _with_environment(execute_and_call, during["import"])
    execute_and_call(module)
    for name, variables in during.items():
        if name != "import":
            owner, _, function = name.rpartition(".")
            owner = getattr(module, owner) if owner else module
            setattr(owner, function, _with_environment(getattr(owner, function), variables))


class ExtensionLoader(external.ExtensionFileLoader):
    def exec_module(self, module):
        _execute(super().exec_module, module)


def _portions(name, path):
    """The spec of a namespace package once the path that it is found on has changed."""
    entry = INDEX[name]
    own = [_in_tree(folder) for folder in entry[3]]
    spec = external.PathFinder.find_spec(name, path)
    found = spec.submodule_search_locations if spec is not None and spec.loader is None else ()
    spec = _frozen_importlib.ModuleSpec(name, None, is_package=True)
    spec.submodule_search_locations = own + [folder for folder in found or () if folder not in own]
    return spec


def _spec_of(name, entry):
    offset, _, is_package, place = entry
    if offset == -2:
        spec = _frozen_importlib.ModuleSpec(name, None, is_package=True)
        # The path of a namespace package is an object of its own, by which others know it.
        spec.submodule_search_locations = external._NamespacePath(name, [_in_tree(folder) for folder in place], _portions)
        return spec
    path = _in_tree(place)
    loader = ExtensionLoader if offset == -1 else StoreLoader
    spec = _frozen_importlib.ModuleSpec(name, loader(name, path), origin=path, is_package=is_package)
    spec._set_fileattr = True
    if is_package:
        spec.submodule_search_locations.append(path.rpartition(SEPARATOR)[0])
    return spec


def _is_in(entry, path):
    """Whether a submodule is in one of its package's folders."""
    if entry[0] == -2:
        return True
    folder = entry[3].rpartition("/")[0]
    if entry[2]:
        folder = folder.rpartition("/")[0]
    return _in_tree(folder) in path


def _in_front_of(entry):
    """The entries of sys.path that are not ours and stand in front of the one that a module of the store is found by."""
    path = _in_tree(entry[3][0] if entry[0] == -2 else entry[3])
    own = max((root for root in _ROOTS if path.startswith(root + SEPARATOR)), key=len, default=None)
    front = []
    for folder in sys.path:
        if folder == own:
            break
        if folder not in _ROOTS:
            front.append(folder)
    return front


class StoreFinder:
    """Finds modules of the store by their full name."""

    @staticmethod
    def find_spec(fullname, path=None, target=None):
        entry = INDEX.get(fullname)
        if entry is None or fullname == "__main__":
            return None
        # What somebody put in front of the module's own entry comes first, as from source.
        if path is None and sys.path[: len(_ROOTS)] != _ROOTS:
            front = _in_front_of(entry)
            spec = external.PathFinder.find_spec(fullname, front) if front else None
            if spec is not None and spec.loader is not None:
                return spec
        # A package that stands for another has that one's folder, and other modules in it.
        if path is not None and path.__class__ is list and not _is_in(entry, path):
            return None
        return _spec_of(fullname, entry)

    @staticmethod
    def invalidate_caches():
        pass


class AbsenceTeller:
    """The last finder. It finds nothing, and asks the file system once for a name that nobody found, with who wants it:
    whoever watches the program (omnistasis prove) sees that."""

    @staticmethod
    def find_spec(fullname, path=None, target=None):
        frame = sys._getframe(1)
        while frame is not None and "importlib" in frame.f_code.co_filename:
            frame = frame.f_back
        if WINDOWS:
            # Names of files have no colons there, and a path is only looked for as a whole.
            asker = frame is not None and _place_of(frame.f_code.co_filename)
            said = "%s;%s;%d" % (fullname, asker.replace("/", "!"), frame.f_lineno) if asker else fullname
        else:
            asker = "%s:%d" % (frame.f_code.co_filename, frame.f_lineno) if frame is not None else ""
            said = "%s:%s" % (fullname, asker)
        try:
            system.stat(_in_tree(".absent/" + said))
        except (OSError, ValueError):
            pass
        return None


class MainFinder:
    """Makes the entry point's path importable, for runpy.run_path and so for multiprocessing's children."""

    @staticmethod
    def find_spec(fullname, target=None):
        return _spec_of("__main__", INDEX["__main__"]) if fullname == "__main__" else None


class TreeFinder(external.FileFinder):
    """Finds modules by a folder of the app tree: those of the store first, then files that are there."""

    def _prefix(self):
        """What names of modules in this folder begin with; None where no package or path entry is it."""
        if self.path in _ROOTS:
            return ""
        for root in sorted(_ROOTS, key=len, reverse=True):
            if self.path.startswith(root + SEPARATOR):
                return self.path[len(root) + 1 :].replace(SEPARATOR, ".") + "."
        return None

    def find_spec(self, fullname, target=None):
        start = self._prefix()
        stored = fullname if start is None else start + fullname.rpartition(".")[2]
        entry = INDEX.get(stored)
        if entry is None or stored == "__main__":
            return super().find_spec(fullname, target)
        spec = _spec_of(fullname, entry)
        if stored != fullname and entry[0] >= 0:
            spec.loader.stored = stored
        return spec

    def iter_modules(self, prefix=""):
        start = self._prefix()
        seen = set()
        if start is not None:
            for name, entry in sorted(INDEX.items()):
                short = name[len(start) :]
                if not name.startswith(start) or not short or "." in short or short == "__main__" and not start:
                    continue
                folders = entry[3] if entry[0] == -2 else [entry[3]]
                if start or any(_in_tree(f).startswith(self.path + SEPARATOR) for f in folders):
                    seen.add(short)
                    yield prefix + short, entry[2]
        from pkgutil import _iter_file_finder_modules

        for name, is_package in _iter_file_finder_modules(self, prefix):
            if name[len(prefix) :] not in seen:
                yield name, is_package


_ROOTS = [_in_tree(place) for place in CONFIG["path"]]


def _path_hook(path):
    if path == _MAIN_FILE:
        return MainFinder
    place = _place_of(path)
    if path != TREE and place is None:
        raise ImportError("not in the app tree", path=path)
    try:
        is_folder = system.stat(path).st_mode & 0o170000 == 0o040000
    except OSError:
        # A package of which nothing but code was shipped has no folder in the tree.
        start = (place or "") + "/"
        is_folder = any(type(entry[3]) is str and entry[3].startswith(start) for entry in INDEX.values())
    if not is_folder:
        raise ImportError("not a folder", path=path)
    details = (
        (external.ExtensionFileLoader, _imp.extension_suffixes()),
        (external.SourceFileLoader, [".py"]),
        (external.SourcelessFileLoader, [".pyc"]),
    )
    return TreeFinder(path, *details)


def _code_of_placeholder(data, path):
    """What stands in the tree for a module: bytecode under the name of a source, or nothing where the store has it."""
    if data[:4] == external.MAGIC_NUMBER:
        code = marshal.loads(memoryview(data)[16:])
        _imp._fix_co_filename(code, path)
        return code
    place = _place_of(path) if data in (b"", b"\n") else None
    if place is not None:
        for name, entry in INDEX.items():
            if entry[0] >= 0 and entry[3] == place:
                return _code_at(entry, path)
    return None


def _without_placeholders(get_source):
    def source(self, fullname):
        data = self.get_data(self.get_filename(fullname))
        return None if data[:4] == external.MAGIC_NUMBER else get_source(self, fullname)

    return source


def _with_placeholders(source_to_code):
    def to_code(self, data, path, **options):
        code = _code_of_placeholder(data, path) if type(data) is bytes and type(path) is str else None
        return source_to_code(self, data, path, **options) if code is None else code

    return to_code


def _put_back_kept_variables():
    """The launcher keeps what would stop the interpreter under another name; the application sees what the user set."""
    kept = "OMNISTASIS_KEPT_" if WINDOWS else b"OMNISTASIS_KEPT_"
    for name in [name for name in system.environ if name.startswith(kept)]:
        value = system.environ.pop(name)
        system.unsetenv(name)
        system.environ[name[len(kept) :]] = value
        system.putenv(name[len(kept) :], value)


def set_up():
    _put_back_kept_variables()
    if CONFIG["sources"]:
        sys.dont_write_bytecode = False  # that was meant for the app tree's own files
    external.SourceLoader.get_source = _without_placeholders(external.SourceLoader.get_source)
    external.SourceLoader.source_to_code = _with_placeholders(external.SourceLoader.source_to_code)
    sys.meta_path.insert(0, StoreFinder)
    sys.meta_path.append(AbsenceTeller)
    sys.path_hooks.insert(0, _path_hook)
    sys.path_importer_cache.clear()
    # What is in front of the interpreter's own entries belongs to whoever started it (a script's folder, -c).
    sys.path[:] = _ROOTS
    if WINDOWS:
        for place in CONFIG["library_folders"]:
            system._add_dll_directory(_in_tree(place))
    program = sys.executable
    sys.executable = sys._base_executable = _in_tree(CONFIG["interpreter"])
    if WINDOWS:
        # Children of multiprocessing get handles by the number of their process: it has to be their own.
        sys._base_executable = program
    import builtins
    import _sitebuiltins

    for name in ("quit", "exit"):
        setattr(builtins, name, _sitebuiltins.Quitter(name, "Ctrl-D (i.e. EOF)"))
    builtins.help = _sitebuiltins._Helper()


def _tell_times(file):
    """Writes when each import begins and ends, for `omnistasis profile`: lines of kind, name, process and nanoseconds."""
    from time import monotonic_ns

    flags = system.O_WRONLY | system.O_APPEND | system.O_CLOEXEC | system.O_NOFOLLOW | system.O_NONBLOCK
    descriptor = system.open(file, flags)
    process = system.getpid()
    depth = 0
    lines = ["runtime\t-\t%d\t%d\n" % (process, monotonic_ns())]
    find_and_load = _frozen_importlib._find_and_load

    def flush():
        if lines and system.getpid() == process:
            system.write(descriptor, "".join(lines).encode("utf-8", "replace"))
        lines.clear()

    def timed(name, import_):
        nonlocal depth
        begin = monotonic_ns()
        depth += 1
        try:
            return find_and_load(name, import_)
        finally:
            depth -= 1
            lines.append("import\t%s\t%d\t%d\t%d\t%d\n" % (name, process, begin, monotonic_ns(), depth))
            if depth == 0 and len(lines) > 100:
                flush()

    _frozen_importlib._find_and_load = timed

    def main():
        lines.append("main\t-\t%d\t%d\n" % (process, monotonic_ns()))
        flush()

    def end():
        lines.append("end\t-\t%d\t%d\n" % (process, monotonic_ns()))
        flush()

    return main, end


def run_stored(name, space):
    """Runs the code that the store has of a module."""
    exec(_code_at(INDEX[name], space["__file__"]), space)


def called_function():
    """The function that the project's entry point names as module:function."""
    module, _, names = CONFIG["called"].partition(":")
    __import__(module)
    return _named(sys.modules[module], names)


def run_main():
    """Runs the application as `__main__`, as the interpreter would from source."""
    entry = CONFIG["entry"]
    del sys.argv[0]  # our own file; the launcher's name as it was called follows
    if CONFIG["installed"]:
        # Such programs look for their data from where they lie themselves, or where a user's own would lie.
        sys.argv[0] = _in_tree(CONFIG["main_folder"]) + SEPARATOR + sys.argv[0].rpartition(SEPARATOR)[2]
    if hasattr(sys, "orig_argv"):
        sys.orig_argv[:] = [sys.executable] + sys.argv
    sys.path[0] = _in_tree(CONFIG["main_folder"])  # the interpreter put our own folder there
    main = sys.modules["__main__"]
    space = main.__dict__
    for name in [name for name in space if name not in ("__name__", "__doc__", "__builtins__")]:
        del space[name]
    loader = StoreLoader("__main__", _MAIN_FILE)
    spec = None
    if entry["kind"] == "module":
        spec = _spec_of(entry["name"], INDEX["__main__"])
    space.update(
        __doc__=None,
        __package__=entry["name"].rpartition(".")[0] if spec else None,
        __loader__=spec.loader if spec else loader,
        __spec__=spec,
        __annotations__={},
        __file__=_MAIN_FILE,
        __cached__=spec.cached if spec else None,
    )
    code = loader.get_code("__main__")
    if WINDOWS and None in (sys.stdout, sys.stderr):
        # A program without a console has no streams, and many that print do not know it.
        for name in ("stdout", "stderr"):
            if getattr(sys, name) is None:
                setattr(sys, name, open("NUL", "w", encoding="utf-8", errors="replace"))
    if variables := CONFIG["during"].get("__main__", {}).get("import"):
        from os import environ

        _set_variables(environ, variables)
    if CONFIG["programs"]:
        _add_programs(_in_tree(CONFIG["programs"]))
    if _TIMES is not None:
        _TIMES[0]()
        import atexit

        atexit.register(_TIMES[1])
    try:
        exec(code, space)
    except SystemExit:
        raise
    except BaseException as error:
        # Reported without our own frame, by whatever hook the application has set.
        hook, frames = sys.excepthook, error.__traceback__.tb_next

        def report(kind, value, _):
            sys.excepthook = hook
            sys.last_traceback = value.__traceback__ = frames
            return hook(kind, value, frames)

        sys.excepthook = report
        raise


_TIMES = None
set_up()
if not WINDOWS and b"OMNISTASIS_TIMES" in system.environ:
    try:
        _TIMES = _tell_times(system.environ[b"OMNISTASIS_TIMES"])
    except OSError:
        pass
