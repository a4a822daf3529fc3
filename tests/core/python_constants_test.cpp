// Python's lexer, constants and conditions, line by line; the table of known calls.
#include "runtimes/python/condition.h"
#include "runtimes/python/constants.h"
#include "runtimes/python/known_calls.h"
#include "runtimes/python/lexer.h"
#include "runtimes/python/scanner.h"

#include <algorithm>
#include <catch2/catch.hpp>
#include <optional>

using namespace omnistasis;
using namespace omnistasis::python;

namespace {

using Lines = std::vector<std::string>;

/// Each logical line as "indent: token token", strings in angle brackets with their prefixes' marks.
Lines lexed(const std::string& source) {
    Lexer lexer(source);
    std::vector<Token> tokens;
    Lines lines;
    while (lexer.next_line(tokens)) {
        std::string line = std::to_string(lexer.indent()) + ":";
        for (const Token& token : tokens) {
            line += ' ';
            if (token.kind == TokenKind::string)
                line += std::string(token.bytes ? "b" : "") + (token.raw ? "r" : "") +
                        (token.formatted ? "f" : "") + "<" + std::string(token.text) + ">";
            else
                line += token.text;
        }
        lines.push_back(line);
    }
    return lines;
}

/// The only logical line of a source.
struct Line {
    std::string source;
    std::vector<Token> tokens;
    explicit Line(std::string text) : source(std::move(text)) {
        Lexer lexer(source);
        REQUIRE(lexer.next_line(tokens));
    }
};

/// The values of an expression, a beginning with an ellipsis behind it, after `before` was assigned line by
/// line ("name = expression").
Lines values(const std::string& expression, const Lines& before = {}) {
    Constants constants("harbour.tide", "harbour", "/p/harbour/tide.py");
    std::vector<std::unique_ptr<Line>> kept;
    for (const std::string& text : before) {
        kept.push_back(std::make_unique<Line>(text));
        std::span<const Token> tokens = kept.back()->tokens;
        constants.assign(tokens[0].text, tokens.subspan(2));
    }
    Line line(expression);
    Lines found;
    for (const PossibleText& one : constants.evaluate(line.tokens))
        found.push_back(one.text + (one.exact ? "" : "..."));
    std::ranges::sort(found);
    return found;
}

std::optional<bool> condition(const std::string& text) {
    ScanFacts facts;
    facts.minor = 11;
    Line line(text);
    return evaluate_condition(line.tokens, facts);
}

} // namespace

TEST_CASE("logical lines end where they end, whatever stands in strings and brackets") {
    CHECK(lexed("a = 1\nb = 2\n") == Lines{"0: a = 1", "0: b = 2"});
    CHECK(lexed("a = (1,\n  2)\nb") == Lines{"0: a = ( 1 , 2 )", "0: b"});
    CHECK(lexed("a = 1 + \\\n  2\nb") == Lines{"0: a = 1 + 2", "0: b"});
    CHECK(lexed("# only a comment\n\n\n  a # and one more\n") == Lines{"2: a"});
    CHECK(lexed("\tif a:\n\t\tb") == Lines{"8: if a :", "16: b"});
    CHECK(lexed("a = 'x # no comment'\n") == Lines{"0: a = <x # no comment>"});
    CHECK(lexed("a = '''one\ntwo'''\nb") == Lines{"0: a = <one\ntwo>", "0: b"});
    CHECK(lexed("a = 'unclosed\nb = 1\n") == Lines{"0: a = <unclosed>", "0: b = 1"});
    CHECK(lexed("a = \"\"\"never closed\nb = 1\n") == Lines{"0: a = <never closed\nb = 1\n>"});
    CHECK(lexed("a\r\nb\rc\n").size() >= 2);
    CHECK(lexed("").empty());
    CHECK(lexed("\xef\xbb\xbf"
                "a\n")
              .size() == 1);
}

TEST_CASE("strings know their prefixes, and formatted ones hold others") {
    CHECK(lexed("b'x' rb'\\n' f'a{b}c' u'y' Rf'z'") == Lines{"0: b<x> br<\\n> f<a{b}c> <y> rf<z>"});
    CHECK(lexed("f'{\"in\"}' 1") == Lines{"0: f<{\"in\"}> 1"});
    CHECK(lexed("f'{a!r:>{width}}' 1") == Lines{"0: f<{a!r:>{width}}> 1"});
    CHECK(lexed("f'{{not a field}}' 1") == Lines{"0: f<{{not a field}}> 1"});
    CHECK(lexed("bar'x'").front().find("<x>") != std::string::npos); // no prefix
}

TEST_CASE("escapes in strings are resolved as the language does") {
    auto value = [](const std::string& literal) { return string_value(Line(literal).tokens.at(0)); };
    CHECK(value("'a\\tb\\n'") == "a\tb\n");
    CHECK(value("'\\x41\\u00e4\\U0001F6A2'") == "A\xC3\xA4\xF0\x9F\x9A\xA2");
    CHECK(value("'\\101\\0'") == std::string("A\0", 2));
    CHECK(value("r'\\n'") == "\\n");
    CHECK(value("'\\q\\''") == "\\q'");
    CHECK(value("'one\\\ntwo'") == "onetwo");
}

TEST_CASE("expressions of constants have their values") {
    CHECK(values("'tide'") == Lines{"tide"});
    CHECK(values("'ti' 'de'") == Lines{"tide"});
    CHECK(values("'ti' + 'de'") == Lines{"tide"});
    CHECK(values("('tide')") == Lines{"tide"});
    CHECK(values("__name__") == Lines{"harbour.tide"});
    CHECK(values("__package__ + '.flags'") == Lines{"harbour.flags"});
    CHECK(values("'%s.flags' % __package__") == Lines{"harbour.flags"});
    CHECK(values("'{}.flags'.format(__package__)") == Lines{"harbour.flags"});
    CHECK(values("f'{__package__}.flags'") == Lines{"harbour.flags"});
    CHECK(values("f'{a}.{b}'", {"a = 'charts'", "b = 'flags'"}) == Lines{"charts.flags"});
    CHECK(values("f'{a}.{unknown}.x'", {"a = 'charts'"}) == Lines{"charts...."});
    CHECK(values("f'{{{a}}}'", {"a = 'charts'"}) == Lines{"{charts}"});
    CHECK(values("'%s.%s' % (__package__, 'flags')") == Lines{"harbour.flags"});
    CHECK(values("'%s.%s' % (__package__, unknown)") == Lines{"harbour...."});
    CHECK(values("'%s.%d' % (__package__, 'x')") == Lines{"harbour...."});
    CHECK(values("'100%% %s' % 'sure'") == Lines{"100% sure"});
    CHECK(values("'{1}.{0}'.format('flags', __package__)") == Lines{"harbour.flags"});
    CHECK(values("'{where}.flags'.format(where=__package__)") == Lines{"harbour.flags"});
    CHECK(values("'{}.{}'.format(__package__, unknown)") == Lines{"harbour...."});
    CHECK(values("'{{}}.{}'.format('x')") == Lines{"{}.x"});
    CHECK(values("'{0!r}'.format('x')") == Lines{"..."});
    CHECK(values("unknown").empty());
    CHECK(values("unknown + 'x'").empty());
    CHECK(values("'charts.' + unknown") == Lines{"charts...."});
    CHECK(values("f'charts.{unknown}'") == Lines{"charts...."});
    CHECK(values("'charts.%s' % unknown") == Lines{"charts...."});
}

TEST_CASE("names stand for what they were bound to, all of it") {
    CHECK(values("a", {"a = 'one'"}) == Lines{"one"});
    CHECK(values("a", {"a = 'one'", "a = 'two'"}) == Lines{"one", "two"});
    CHECK(values("a", {"a = 'one'", "a = call()"}).empty());
    CHECK(values("a + '.' + b", {"a = 'charts'", "b = 'flags'"}) == Lines{"charts.flags"});
    CHECK(values("b", {"a = 'charts'", "b = a + '.x'"}) == Lines{"charts.x"});
}

TEST_CASE("paths are followed from the file's own place") {
    CHECK(values("__file__") == Lines{"/p/harbour/tide.py"});
    CHECK(values("os.path.dirname(__file__)") == Lines{"/p/harbour"});
    CHECK(values("os.path.join(os.path.dirname(__file__), 'charts', 'flags.csv')") ==
          Lines{"/p/harbour/charts/flags.csv"});
    CHECK(values("os.path.join(os.path.dirname(os.path.abspath(__file__)), '..', 'x')") ==
          Lines{"/p/harbour/../x"});
    CHECK(values("Path(__file__).parent / 'charts' / 'flags.csv'") == Lines{"/p/harbour/charts/flags.csv"});
    CHECK(values("Path(__file__).resolve().parent.parent / 'art'") == Lines{"/p/art"});
    CHECK(values("pathlib.Path(__file__).parent.joinpath('art')") == Lines{"/p/harbour/art"});
    CHECK(values("Path(here) / 'x'").empty());
}

TEST_CASE("a loop gives a name each of its elements") {
    Constants constants("m", "", "");
    Line list("'ebb', 'flood'");
    constants.loop_over("one", std::span<const Token>(list.tokens));
    Line use("'feeds.' + one");
    Lines found;
    for (const PossibleText& text : constants.evaluate(use.tokens)) found.push_back(text.text);
    std::ranges::sort(found);
    CHECK(found == Lines{"feeds.ebb", "feeds.flood"});
}

TEST_CASE("arguments are split at their own commas, and brackets end where they close") {
    Line call("f(a, (b, c), [d, {e: g}], h=i)");
    std::span<const Token> tokens = call.tokens;
    CHECK(behind_closing(tokens, 1) == tokens.size());
    auto arguments = split_arguments(tokens.subspan(2, tokens.size() - 3));
    REQUIRE(arguments.size() == 4);
    CHECK(arguments[0].size() == 1);
    CHECK(arguments[1].size() == 5);
    CHECK(arguments[3].size() == 3);
    CHECK(behind_closing(Line("f(a, (b").tokens, 1) == 6);
    CHECK(split_arguments({}).empty());
}

TEST_CASE("conditions on platform, version and type checking are decided, others not") {
    struct Case {
        const char* text;
        std::optional<bool> value;
    };
    const Case cases[] = {
        {"sys.platform == 'win32'", false},
        {"sys.platform != 'win32'", true},
        {"sys.platform.startswith('linux')", true},
        {"sys.platform in ('darwin', 'win32')", false},
        {"sys.platform in ['linux', 'win32']", true},
        {"os.name == 'nt'", false},
        {"os.name == 'posix'", true},
        {"platform.system() == 'Windows'", false},
        {"platform.machine() == 'aarch64'", std::nullopt},
        {"sys.version_info >= (3, 8)", true},
        {"sys.version_info < (3, 12)", true},
        {"sys.version_info >= (3, 12)", false},
        {"sys.version_info[0] == 2", false},
        {"sys.version_info[:2] >= (3, 11)", true},
        {"sys.version_info.major >= 3", true},
        {"TYPE_CHECKING", false},
        {"typing.TYPE_CHECKING", false},
        {"not TYPE_CHECKING", true},
        {"False", false},
        {"True", true},
        {"0", false},
        {"1", true},
        {"False and unknown", false},
        {"unknown and False", false},
        {"True or unknown", true},
        {"unknown or True", true},
        {"unknown", std::nullopt},
        {"unknown and True", std::nullopt},
        {"unknown or False", std::nullopt},
        {"not unknown", std::nullopt},
        {"sys.platform == unknown", std::nullopt},
        {"(sys.platform == 'win32')", false},
        {"sys.platform == 'win32' or os.name == 'nt'", false},
        {"sys.platform == 'linux' and sys.version_info >= (3, 8)", true},
        {"len(sys.argv) > 1", std::nullopt},
    };
    for (const Case& one : cases) {
        INFO(one.text);
        CHECK(condition(one.text) == one.value);
    }
}

TEST_CASE("conditions are decided for the target") {
    ScanFacts facts;
    facts.platform = "darwin";
    facts.os_name = "posix";
    facts.system = "Darwin";
    facts.machine = "arm64";
    auto decided = [&](const char* text) {
        Line line(text);
        return evaluate_condition(line.tokens, facts);
    };
    CHECK(decided("platform.machine() == 'arm64'") == true);
    CHECK(decided("platform.machine() in ('x86_64', 'AMD64')") == false);
    CHECK(decided("sys.platform == 'darwin' and platform.machine() != 'arm64'") == false);
    CHECK(decided("platform.system() == 'Windows'") == false);
    CHECK(decided("platform.machine().startswith('arm')") == std::nullopt);
}

TEST_CASE("a known call has one row, whatever module it came from") {
    CHECK(known_call("import_module").use == CallUse::imports_module);
    CHECK(known_call("import_string").use == CallUse::imports_module);
    CHECK(known_call("import_").use == CallUse::imports_module);
    CHECK(known_call("find_library").use == CallUse::opens_library);
    CHECK(known_call("my_find_library").use == CallUse::opens_library);
    CHECK(known_call("LoadLibrary").use == CallUse::opens_library);
    CHECK(known_call("encode").use == CallUse::codec_or_method);
    CHECK(known_call("lookup").use == CallUse::codec);
    CHECK(known_call("glob").use == CallUse::finds_paths);
    CHECK(known_call("open").use == CallUse::opens_path);
    CHECK(known_call("attach").argument == 1);
    CHECK(known_call("files").use == CallUse::files);
    CHECK(known_call("print").use == CallUse::nothing);
    CHECK(known_call("").use == CallUse::nothing);
    CHECK(known_call("importer").use == CallUse::nothing);
}

TEST_CASE("each kind of known call is seen in a source") {
    auto scanned = [](const std::string& source, bool own = true) {
        ScanFacts facts;
        facts.minor = 11;
        facts.is_own = own;
        return scan(source, "harbour.tide", "harbour", facts);
    };
    auto texts = [](const std::vector<StringAt>& list) {
        Lines found;
        for (const StringAt& one : list) found.push_back(one.text);
        return found;
    };
    CHECK(texts(scanned("x.encode('koi8-r')\n").codecs) == Lines{"koi8-r"});
    CHECK(scanned("x.decode(name)\n").computed_codec == 1);
    CHECK(scanned("codecs.lookup(name)\n").computed_codec == 0);
    CHECK(scanned("\ninspect.getsource(f)\n").asks_for_source == 2);
    CHECK(scanned("os.listdir('charts')\n").lists_folders);
    CHECK(texts(scanned("os.listdir('charts/')\n").opened_paths) == Lines{"charts/"});
    CHECK(scanned("glob.glob('a/*.csv')\n").lists_folders);
    CHECK(texts(scanned("open('charts/flags.csv')\n").opened_paths) == Lines{"charts/flags.csv"});
    CHECK(texts(scanned("PhotoImage(file='art/buoy.png')\n").opened_paths) == Lines{"art/buoy.png"});
    CHECK(scanned("open('/etc/hosts')\n").opened_paths.empty());
    CHECK(texts(scanned("ctypes.CDLL('libtide.so.1')\n").libraries) == Lines{"libtide.so.1", "libtide.so.1"});
    CHECK(texts(scanned("find_library('tide')\n").libraries) == Lines{"tide"});
    CHECK(scanned("ctypes.CDLL(name)\n").computed_library == 1);
    CHECK(scanned("ctypes.CDLL(None)\n").computed_library == 0);
    CHECK(texts(scanned("gi.require_version('Gtk', '4.0')\n").library_versions) == Lines{"Gtk-4.0"});
    CHECK(texts(scanned("gi.require_versions({'Gtk': '4.0', 'Gdk': '4.0'})\n").library_versions) ==
          Lines{"Gtk-4.0", "Gdk-4.0"});
    CHECK(scanned("a, b, c = lazy.attach_stub(__name__, __file__)\n").reads_stubs);
    CHECK(scanned("os.chdir('x')\n").changes_folder);
    CHECK(texts(scanned("version('charts')\n").distributions) == Lines{"charts"});
    CHECK(scanned("version('charts', 2)\n").distributions.empty());
    CHECK(texts(scanned("entry_points(group='harbour.feeds')\n").entry_point_groups) ==
          Lines{"harbour.feeds"});
    CHECK(scanned("entry_points(group=name)\n").asks_for_computed_group);
    CHECK(texts(scanned("eps.select(group='harbour.feeds')\n").entry_point_groups) == Lines{"harbour.feeds"});
    CHECK(scanned("rows.select('harbour.feeds')\n").entry_point_groups.empty());
    CHECK(texts(scanned("pkgutil.get_data('charts', 'a.csv')\n").resource_packages) == Lines{"charts"});
    CHECK(scanned("pkgutil.get_data('charts', 'a.csv')\n").names_own_file);
    CHECK(texts(scanned("PackageLoader('charts')\n").resource_packages) == Lines{"charts"});
    CHECK(scanned("for x in pkgutil.iter_modules(__path__): pass\n").requests.back().module == "harbour");
    CHECK(scanned("import charts as c\npkgutil.walk_packages(c.__path__)\n").requests.back().module ==
          "charts");
    CHECK(scanned("exec(compile(text, 'a', 'exec'))\n").runs_sources == 1);
    CHECK(scanned("exec('x = 1')\n").runs_sources == 0);
    CHECK(scanned("cursor.execute('select 1')\n").runs_sources == 0);
    CHECK(scanned("runpy.run_path(p)\n").runs_files == 1);
    CHECK(scanned("sys.modules['x'] = y\n").makes_modules);
    CHECK(texts(scanned("_sys.modules['charts.abc'] = y\n").registered) == Lines{"charts.abc"});
    CHECK(texts(scanned("sys.modules[__name__ + '.abc'] = y\n").registered) == Lines{"harbour.tide.abc"});
    CHECK(scanned("x = sys.modules['charts.abc']\nsys.modules[name] = y\n").registered.empty());
    CHECK(scanned("subprocess.run([sys.executable])\n").restarts_itself);
}

TEST_CASE("any bytes are lexed and scanned to an end") {
    std::string all;
    for (int round = 0; round < 3; ++round)
        for (int c = 255; c >= 0; --c) all += static_cast<char>(c);
    for (const char* start :
         {"", "(", "f'{", "'''", "if x:\n", "import ", "from . import (", "attach(__name__, [", "\\\n"}) {
        (void)lexed(start + all);
        (void)scan(start + all, "a", "", {});
    }
    (void)lexed(std::string(100'000, '('));
    (void)scan("x = " + std::string(20'000, '['), "a", "", {});
    (void)scan(std::string(5'000, ' ') + "f'{f'{f'{f'{", "a", "", {});
}
