#include "runtimes/python/scanner.h"

#include <algorithm>
#include <catch2/catch.hpp>

using namespace omnistasis::python;

namespace {

ScanResult scan_text(std::string_view text, std::string_view name = "own.mod",
                     std::string_view package = "own") {
    ScanFacts facts;
    facts.minor = 11;
    return scan(text, name, package, facts);
}

/// One word a request: dots, module, name; `?` guarded, `~` deferred, `*` all of it, `+` a family.
std::vector<std::string> words(const ScanResult& result) {
    std::vector<std::string> all;
    for (const Request& request : result.requests) {
        std::string word = std::string(request.level, '.') + request.module;
        if (!request.name.empty()) word += ":" + request.name;
        if (request.kind == Request::Kind::everything_of) word += ":*";
        if (request.kind == Request::Kind::family) word += "+";
        if (request.certainty == Certainty::guarded) word += "?";
        if (request.certainty == Certainty::deferred) word += "~";
        all.push_back(word);
    }
    return all;
}

using Words = std::vector<std::string>;

} // namespace

TEST_CASE("import statements in all their forms") {
    CHECK(words(scan_text("import a, b.c as d\nimport e;import f\n")) == Words{"a", "b.c", "e", "f"});
    CHECK(words(scan_text("from a.b import c as d, e\n")) == Words{"a.b:c", "a.b:e"});
    CHECK(words(scan_text("from . import x\nfrom ..y import (z,\n  # comment\n  w,)\nfrom ... import v\n")) ==
          Words{".:x", "..y:z", "..y:w", "...:v"});
    CHECK(words(scan_text("from a import *\n")) == Words{"a:*"});
    CHECK(words(scan_text("import a\\\n  .b\n")) == Words{"a.b"});
    CHECK(words(scan_text("\xEF\xBB\xBFimport a\r\nimport b\r\n")) == Words{"a", "b"});
    CHECK(scan_text("x = 1\n\n\nimport a\n").requests.at(0).line == 4);
}

TEST_CASE("what a module imports once a name is taken from it") {
    auto taken = [](std::string_view text) {
        Words all;
        for (const Request& request : scan_text(text).requests)
            all.push_back(request.module + "=" + request.taken_names);
        return all;
    };
    CHECK(taken("def __getattr__(name):\n    import w\n    if name == 'a':\n        import own.a\n"
                "    elif name in ('b', 'c'):\n        import own.b\n    elif name in TABLE:\n        import "
                "d\n") == Words{"w=", "own.a=a\n", "own.b=b\nc\n", "d="});
    CHECK(taken("if x:\n    pass\nelse:\n    def __getattr__(n):\n"
                "        if n in parts: return importlib.import_module(f'{__name__}.{n}')\n") ==
          Words{"own.mod.=*"});
    // The method of a class is another thing, as is what another name is compared with.
    CHECK(taken("class A:\n    def __getattr__(self, name):\n        if name == 'a': import a\n") ==
          Words{"a="});
    CHECK(taken("def __getattr__(name):\n    if mode == 'a': import a\n") == Words{"a="});
    auto takes = [](const ScanResult& result, std::string_view name) {
        return std::ranges::binary_search(result.names_taken, name_hash(name));
    };
    ScanResult result = scan_text("from x import one\ny.two.three()\ngetattr(z, 'four')\nfive = 'no name'\n");
    for (const char* name : {"one", "two", "three", "four"}) CHECK(takes(result, name));
    for (const char* name : {"x", "y", "five", "no name"}) CHECK(!takes(result, name));
    // The standard library takes parts of itself, too.
    ScanFacts standard;
    standard.keeps_strings = false;
    CHECK(takes(scan("import a.b\na.b.Pool()\n", "c", "", standard), "Pool"));
}

TEST_CASE("what looks like an import and is none") {
    CHECK(
        words(scan_text("s = 'import a'\nt = \"\"\"\nimport b\n\"\"\"\n# import c\nu = r'\\'\nimport d\n")) ==
        Words{"d"});
    CHECK(words(scan_text("raise X from import_error\nyield_from = 1\nx.import_ = 2\n")) == Words{});
    CHECK(words(scan_text("def f():\n    yield from a\nraise B from c\n")) == Words{});
    CHECK(words(scan_text("f'{x!r:>{width}} import a'\nf\"{d['import b']}\"\nimport c\n")) == Words{"c"});
    CHECK(words(scan_text("f\"{d[\"key\"]}\"; import c\nf'''{\n  x # a comment with '\n}'''\nimport e\n")) ==
          Words{"c", "e"});
    CHECK(words(scan_text("f'\\N{DASH} {x}'\nrf'\\{x}'\nimport c\n")) == Words{"c"});
}

TEST_CASE("conditions that are known on the target") {
    CHECK(words(scan_text("import sys\nif sys.platform == 'win32':\n    import a\nelse:\n    import b\n")) ==
          Words{"sys", "b"});
    CHECK(words(scan_text("if TYPE_CHECKING:\n    import a\nif not typing.TYPE_CHECKING:\n    import b\n")) ==
          Words{"b"});
    CHECK(words(scan_text("if sys.version_info >= (3, 12):\n    import a\nelif sys.version_info[0] == 3:\n   "
                          " import b\nelse:\n    import c\n")) == Words{"b"});
    CHECK(words(scan_text(
              "if os.name == 'nt' and x:\n    import a\nif os.name == 'posix' or x:\n    import b\n")) ==
          Words{"b"});
    CHECK(words(scan_text("if sys.platform in ('linux', 'darwin'):\n    import a\nif "
                          "sys.platform.startswith('win'): import b\n")) == Words{"a"});
    CHECK(words(scan_text("if __name__ == '__main__':\n    import a\n")) == Words{});
    CHECK(words(scan_text("if x:\n    if y:\n        import a\n    else:\n        import b\nelif z: import "
                          "c\nelse:\n    import d\n")) == Words{"a?", "b?", "c?", "d?"});
}

TEST_CASE("an inner if does not decide for the outer one") {
    CHECK(
        words(scan_text("if sys.platform == 'linux':\n    if x:\n        import a\nelse:\n    import b\n")) ==
        Words{"a?"});
}

TEST_CASE("imports that may fail, and those in functions") {
    auto result = scan_text("try:\n    import a\nexcept ImportError:\n    import b\nelse:\n    import c\n");
    CHECK(words(result) == Words{"a?", "b?", "c"});
    CHECK(result.requests[1].instead_of_first == 0);
    CHECK(result.requests[1].instead_of_last == 1);
    CHECK(words(scan_text("try:\n    import a\nfinally:\n    pass\n")) == Words{"a"});
    CHECK(words(scan_text("try: import a\nexcept KeyError: pass\n")) == Words{"a"});
    CHECK(words(scan_text("with suppress(ImportError):\n    import a\n")) == Words{"a?"});
    CHECK(words(scan_text(
              "def f():\n    import a\nclass B:\n    import c\nasync def g(): import d\nimport e\n")) ==
          Words{"a~", "c", "d~", "e"});
}

TEST_CASE("imports by name") {
    CHECK(words(scan_text("__import__('a.b')\nimportlib.import_module('.c', "
                          "__package__)\nimport_module('.d', package='p.q')\n")) ==
          Words{"a.b", "own.c", "p.q.d"});
    CHECK(words(scan_text("NAME = 'a'\nimport_module(NAME + '.b')\nimport_module(f'{NAME}.c')\n")) ==
          Words{"a.b", "a.c"});
    CHECK(words(scan_text("for n in ('x', 'y'):\n    import_module('plug.' + n)\n")) ==
          Words{"plug.x", "plug.y"});
    CHECK(
        words(scan_text(
            "import_module('plug.%s' % n)\nimport_module('a.{}'.format(n))\nimport_module(f'b.c_{n}')\n")) ==
        Words{"plug.+", "a.+", "b.c_+"});
    auto unknown = scan_text("\nimport_module(name)\n");
    CHECK(unknown.unknown_imports == std::vector<std::uint32_t>{2});
    CHECK(unknown.imports_by_name);
}

TEST_CASE("strings that name modules, files, encodings and distributions") {
    auto result = scan_text(
        "X = {'h': 'pkg.mod.Class'}\nopen('data/a.txt', "
        "encoding='cp1252')\nb.decode('shift_jis')\nversion('dist-name')\nentry_points(group='g')\n");
    REQUIRE(result.dotted_strings.size() == 1);
    CHECK(result.dotted_strings[0].text == "pkg.mod.Class");
    CHECK(std::ranges::any_of(result.path_strings, [](const StringAt& s) { return s.text == "data/a.txt"; }));
    REQUIRE(result.codecs.size() == 2);
    CHECK(result.codecs[0].text == "cp1252");
    CHECK(result.codecs[1].text == "shift_jis");
    CHECK(result.distributions.at(0).text == "dist-name");
    CHECK(result.entry_point_groups.at(0).text == "g");
}

TEST_CASE("names that are joined, relative names, and parts that are loaded when they are used") {
    CHECK(
        words(scan_text(
            "p = 'dns.types'\nimport_module('.'.join([p, a, b]))\nimport_module('.'.join(['a', 'b']))\n")) ==
        std::vector<std::string>{"dns.types", "a.b"});
    CHECK(words(scan_text(
              "__import__('region_%s' % code, globals(), locals(), ['X'], 1)\n__import__('b', level=2)\n",
              "own.data.mod", "own.data")) == std::vector<std::string>{"own.data.region_+", "own.b"});
    CHECK(words(scan_text("x = attach(__name__, ['depths'], {'tides': ['high']})\n", "own", "own")) ==
          std::vector<std::string>{"own:depths", "own:tides", "own:high"});
    CHECK(scan_text("__all__ = lazy.attach_stub(__name__, __file__)\n").reads_stubs);
    auto code =
        scan_text("run('from own.settings import *')\nrun('import own.more')\nprint('import the chart')\n");
    REQUIRE(code.code_strings.size() == 2);
    CHECK(code.code_strings[0].text == "own.settings");
    CHECK(code.code_strings[1].text == "own.more");
}

TEST_CASE("libraries that are opened by name") {
    auto opened = [](std::string_view text) {
        std::vector<std::string> names;
        for (const StringAt& one : scan_text(text).libraries) names.push_back(one.text);
        std::ranges::sort(names);
        names.erase(std::unique(names.begin(), names.end()), names.end());
        return names;
    };
    CHECK(opened("ctypes.CDLL('libtide.so.1')\n") == std::vector<std::string>{"libtide.so.1"});
    CHECK(opened("names = ['tide-2', 'tide']\nfor n in names:\n    r = ctypes.util.find_library(n)\n") ==
          std::vector<std::string>{"tide", "tide-2"});
    CHECK(opened("ffi.dlopen(_find_library('tide'))\n") == std::vector<std::string>{"tide"});
    CHECK(opened("library(ffi, ('gobject', 'libgobject-2.0.so.0'))\n") ==
          std::vector<std::string>{"libgobject-2.0.so.0"});
    CHECK(scan_text("ctypes.CDLL(name + '.so')\n").computed_library == 1);
    CHECK(scan_text("ctypes.CDLL(None)\nctypes.CDLL(find_library(x))\n").computed_library == 0);
}

TEST_CASE("bytes that are no Python") {
    CHECK_NOTHROW(scan_text("\x00\xff\xfe'\n\"\"\"unclosed\nimport a"));
    CHECK(words(scan_text("'unclosed\nimport a\n")) == Words{"a"});
    CHECK_NOTHROW(scan_text(std::string(100000, '(') + "\n"));
    CHECK_NOTHROW(scan_text("f'" + std::string(5000, '{')));
    std::string deep = "if ";
    for (int i = 0; i < 50000; ++i) deep += "not ";
    CHECK_NOTHROW(scan_text(deep + "sys:\n  import a\n"));
}

TEST_CASE("paths that are opened for writing") {
    ScanFacts facts;
    facts.is_own = true;
    facts.file = "/p/app.py";
    auto result =
        scan("import sqlite3, shelve\nfrom pathlib import Path\nhere = Path(__file__).parent\n"
             "open(here / 'a', 'w')\nopen('b')\nopen('c', mode='r+')\n(here / 'd').write_text('x')\n"
             "path = here / 'e'\npath.write_bytes(b'')\nwith path.open('ab') as f: pass\n"
             "sqlite3.connect(str(here / 'f.db'))\nsqlite3.connect(':memory:')\nshelve.open('g')\n"
             "open(unknown, 'w')\nPath('h').touch()\nself.path.write_text('i')\nhere.open('r')\n",
             "app", "", facts);
    std::vector<std::string> written;
    for (const StringAt& path : result.written_paths) written.push_back(path.text);
    CHECK(written == std::vector<std::string>{"/p/a", "c", "/p/d", "/p/e", "/p/e", "/p/f.db", "g", "h"});
}

TEST_CASE("versions of introspected libraries that are asked for") {
    auto versions = [](std::string_view text) {
        Words all;
        for (const StringAt& one : scan_text(text).library_versions) all.push_back(one.text);
        return all;
    };
    CHECK(versions("import gi\ngi.require_version('Gtk', '3.0')\n") == Words{"Gtk-3.0"});
    CHECK(versions("gi.require_versions({'Gtk': '4.0', \"Adw\": '1'})\n") == Words{"Gtk-4.0", "Adw-1"});
    CHECK(versions("V = '2.4'\ntry:\n    gi.require_version('Soup', '3.0')\nexcept ValueError:\n"
                   "    gi.require_version('Soup', V)\n") == Words{"Soup-3.0", "Soup-2.4"});
    CHECK(versions("gi.require_version(name, '3.0')\n") == Words{});
}

TEST_CASE("programs that code starts or looks for by their names") {
    auto programs = [](std::string_view text) {
        ScanFacts facts;
        facts.minor = 11;
        Words all;
        for (const StringAt& one : scan(text, "m", "", facts).programs) all.push_back(one.text);
        return all;
    };
    CHECK(programs("subprocess.run(['ffmpeg', '-i', name])\n") == Words{"ffmpeg"});
    CHECK(programs("subprocess.Popen(('dot',), stdout=x)\nos.system('git status | head')\n") ==
          Words{"dot", "git"});
    CHECK(programs("TOOL = 'optipng'\nshutil.which(TOOL)\n") == Words{"optipng"});
    CHECK(programs("subprocess.run([sys.executable, "
                   "'child.py'])\nsubprocess.run(['/usr/bin/dot'])\nos.system('ls')\n") == Words{});
    CHECK(programs("run(command)\nserver.run('tide')\n") == Words{});
    CHECK(programs("from subprocess import run as start\nstart(['dot'])\n") == Words{"dot"});
    // A function of its own under the name that everybody gives it.
    CHECK(programs("def which(name): pass\nif which('ffmpeg'): pass\n") == Words{"ffmpeg"});
}

TEST_CASE("code that looks through the folders of PATH by itself") {
    auto line = [](std::string_view text) { return scan(text, "m", "", {}).searches_path; };
    CHECK(line("import os\nfor p in os.environ['PATH'].split(os.pathsep): pass\n") == 2);
    CHECK(line("folders = os.getenv('PATH', '').split(':')\n") == 1);
    CHECK(line("x = os.environ['PATHS'].split(':')\ny = os.environ['PATH']\nz = y.upper()\n") == 0);
    CHECK(line("'PATH'.split('A')\n") == 0);
}

TEST_CASE("texts that begin with the name of a program which is known to be there") {
    std::set<std::string, std::less<>> known{"optipng", "dot"};
    ScanFacts facts;
    facts.minor = 11;
    facts.known_programs = &known;
    auto programs = [&] {
        Words all;
        for (const StringAt& one :
             scan("TOOLS = {'optipng': '-o7', 'x': 'dot -Tpng'}\nstart('dotty', 'no dot')\n", "m", "", facts)
                 .programs)
            all.push_back(one.text);
        return all;
    };
    CHECK(programs() == Words{});
    facts.is_own = true;
    CHECK(programs() == Words{"optipng", "dot"});
}

TEST_CASE("a package that is run as a program is its __main__") {
    CHECK(words(scan_text("import runpy\nrunpy.run_module('quay', run_name='__main__')\n")) ==
          Words{"runpy", "quay.__main__?", "quay?"});
}

TEST_CASE("a module that the interpreter is started to run is needed, with its package's __main__") {
    auto started = [](const std::string& statement) {
        Words found;
        for (const Request& one : scan_text(statement + "\n").requests)
            if (one.name == "__main__") found.push_back(one.module);
        return found;
    };
    CHECK(started("run([sys.executable, '-m', 'quay.tides', place])") == Words{"quay.tides"});
    CHECK(started("cmd = [str(self.interpreter.executable), \"-m\", \"quay\", *more]") == Words{"quay"});
    CHECK(started("os.system(f'\"{sys.executable}\" -m quay --deep')") == Words{"quay"});
    CHECK(started("call(python + ' -m quay.tides; echo', shell=True)") == Words{"quay.tides"});
    // Other programs have an option of that name.
    CHECK(started("run(['git', 'commit', '-m', 'quay'])") == Words{});
    CHECK(started("print('python -m quay')") == Words{});
    CHECK(started("raise OSError(f'no {name}: run python -m quay {name}')") == Words{});
    CHECK(started("run([sys.executable, '-m', name])") == Words{});
    CHECK(started("run(f'{sys.executable} -m {name}')") == Words{});
}

TEST_CASE("paths that are made of the file's own, as far as they are known") {
    ScanFacts facts;
    facts.file = "/quay/board/tides.py";
    auto paths = [&](const std::string& text) {
        Words found;
        for (const StringAt& one :
             scan("from pathlib import Path\nhere = Path(__file__).parent\n" + text + "\n", "board.tides",
                  "board", facts)
                 .file_paths)
            if (one.text != "/quay/board" && (found.empty() || found.back() != one.text))
                found.push_back(one.text);
        return found;
    };
    CHECK(paths("load(here / 'charts' / 'low.bin')") == Words{"/quay/board/charts/low.bin"});
    CHECK(paths("path = f'{here}/charts/low.bin'") == Words{"/quay/board/charts/low.bin"});
    CHECK(paths("path = given if given else f'{here}/charts/{name}'") == Words{"/quay/board/charts/*"});
    CHECK(paths("path = f'{there}/charts/{name}'") == Words{});
}

TEST_CASE("libraries whose names go through a function") {
    auto found = scan_text("lib = pyglet.lib.load_library('GLU')\nother = load_library(name)\n").libraries;
    REQUIRE(found.size() == 1);
    CHECK(found[0].text == "GLU");
}
