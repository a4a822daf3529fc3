// What a source says about folders and files: the search path that it sets, the paths that it opens.
#include "runtimes/python/scanner.h"

#include <catch2/catch.hpp>

using namespace omnistasis::python;

namespace {

std::vector<std::string> search_path(const std::string& source) {
    ScanFacts facts;
    facts.file = "/quay/bin/app.py";
    std::vector<std::string> found;
    for (const StringAt& entry : scan(source, "__main__", "", facts).search_path) found.push_back(entry.text);
    return found;
}

using Texts = std::vector<std::string>;

} // namespace

TEST_CASE("folders that are put on the search path") {
    CHECK(search_path("sys.path.insert(0, '/opt/harbour')") == Texts{"</opt/harbour"});
    CHECK(search_path("sys.path.append('/opt/harbour')") == Texts{"/opt/harbour"});
    CHECK(search_path("sys.path.extend(['/a', '/b'])") == Texts{"/a", "/b"});
    CHECK(search_path("sys.path += ['/a']") == Texts{"/a"});
    CHECK(search_path("sys.path[0:0] = ['/a']") == Texts{"</a"});
    CHECK(search_path("sys.path[:0] = ['/a', '/b']") == Texts{"</a", "</b"});
    CHECK(search_path("sys.path.insert(1, place)").empty());
    CHECK(search_path("sys.path.append('relative')").empty());
    CHECK(search_path("sys.path.remove('/a')").empty());
    CHECK(search_path("sys.path").empty());
    CHECK(search_path("sys.path.append(").empty());
}

TEST_CASE("paths that are computed from the source's own") {
    CHECK(search_path("sys.path.append(os.path.dirname(__file__))") == Texts{"/quay/bin"});
    CHECK(search_path("sys.path.append(os.path.dirname(os.path.dirname(os.path.abspath(__file__))))") ==
          Texts{"/quay"});
    CHECK(search_path("here = os.path.dirname(__file__)\nsys.path.append(os.path.join(here, '..', 'lib'))") ==
          Texts{"/quay/bin/../lib"});
    CHECK(search_path("from os.path import dirname, join\nsys.path.append(join(dirname(__file__), 'lib'))")
              .empty());
    CHECK(search_path("here = Path(__file__).resolve().parent\nsys.path.append(str(here / 'lib' / 'x'))") ==
          Texts{"/quay/bin/lib/x"});
    CHECK(search_path("sys.path.append(str(Path(__file__).parent.parent))") == Texts{"/quay"});
    CHECK(search_path("sys.path.append(os.path.join(unknown, 'lib'))").empty());
    CHECK(search_path("sys.path.append(os.path.join('/a', unknown))").empty());
    CHECK(search_path("sys.path.append(os.path.join('/a', '/b'))") == Texts{"/b"});
    CHECK(search_path("sys.path.append(os.path.dirname('/'))") == Texts{"/"});
    CHECK(search_path("sys.path.append(os.path.join())").empty());
    CHECK(search_path("sys.path.append('/a' + '/b')") == Texts{"/a/b"});
}

TEST_CASE("relative paths that are opened as they are") {
    auto opened = [](const std::string& source) {
        Texts found;
        for (const StringAt& path : scan(source, "__main__", "", {}).opened_paths) found.push_back(path.text);
        return found;
    };
    CHECK(opened("open('charts/a.txt')") == Texts{"charts/a.txt"});
    CHECK(opened("Path('charts')") == Texts{"charts"});
    CHECK(opened("PhotoImage(file='art/x.png')") == Texts{"art/x.png"});
    CHECK(opened("open('/etc/passwd')").empty());
    CHECK(opened("open(name)").empty());
    CHECK(opened("open('a' + b)").empty());
    CHECK(opened("open(b'a')").empty());
    CHECK(opened("'charts/a.txt'").empty());
}

TEST_CASE("what else a source says about its surroundings") {
    CHECK(scan("inspect.getsource(f)", "m", "", {}).asks_for_source == 1);
    CHECK(scan("x.getsourcelines(f)", "m", "", {}).asks_for_source == 1);
    CHECK(scan("getsource = 1", "m", "", {}).asks_for_source == 0);
    CHECK(scan("os.chdir(x)", "m", "", {}).changes_folder);
    CHECK(scan("os.listdir(x)", "m", "", {}).lists_folders);
    CHECK(scan("for f in path.iterdir(): pass", "m", "", {}).lists_folders);
    CHECK(scan("glob.glob(x)", "m", "", {}).lists_folders);
    CHECK_FALSE(scan("open(x)", "m", "", {}).lists_folders);
}

TEST_CASE("names that are watched for count as texts too") {
    WatchedNames watched;
    watched.add("TkAgg");
    watched.add("show");
    ScanFacts facts;
    facts.watched = &watched;
    CHECK(scan("matplotlib.use('TkAgg')", "m", "", facts).watched.at(0).text == "TkAgg");
    CHECK(scan("plt.show()", "m", "", facts).watched.at(0).text == "show");
    CHECK(scan("from matplotlib.pyplot import show", "m", "", facts).watched.size() == 1);
    CHECK(scan("'TkAgg of another kind'", "m", "", facts).watched.empty());
    CHECK(scan("\"\"\"show\"\"\"", "m", "", facts).watched.empty());
}
