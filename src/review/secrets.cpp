#include "review/secrets.h"

#include "runtimes/conventions.h"
#include "support/files.h"
#include "support/toml.h"

#include <algorithm>
#include <array>
#include <bitset>
#include <cctype>
#include <cmath>
#include <cstdlib>
#include <cstring>
#include <fmt/format.h>
#include <map>
#include <optional>
#include <re2/re2.h>
#include <set>
#include <unistd.h>

namespace omnistasis::review {

namespace {

constexpr std::size_t most_before = 200;     ///< bytes of a line in front of an anchor that are looked at
constexpr std::size_t most_behind = 4096;    ///< and behind it
constexpr std::size_t most_findings = 50;    ///< of one file
constexpr std::size_t longest_line = 20'000; ///< code in longer ones was made by a program

char lower_letter(char c) { return c >= 'A' && c <= 'Z' ? static_cast<char>(c + 32) : c; }

bool equal_without_case(std::string_view one, std::string_view other) {
    return one.size() == other.size() && std::ranges::equal(one, other, {}, lower_letter, lower_letter);
}

/// Shannon's, in bits a letter.
double entropy(std::string_view text) {
    std::array<std::size_t, 256> count{};
    for (unsigned char c : text) ++count[c];
    double bits = 0;
    for (std::size_t n : count)
        if (n > 0) {
            double share = static_cast<double>(n) / static_cast<double>(text.size());
            bits -= share * std::log2(share);
        }
    return bits;
}

bool holds_word(std::string_view text, std::string_view word) {
    return std::search(text.begin(), text.end(), word.begin(), word.end(),
                       [](char one, char other) { return lower_letter(one) == other; }) != text.end();
}

/// What stands in examples and templates in the place of a secret.
bool is_placeholder(std::string_view value) {
    for (std::string_view word :
         {"example", "changeme", "change_me", "placeholder", "your",   "dummy",  "redacted",
          "xxxx",    "****",     "....",      "insert",      "sample", "foobar", "1234567890abcdef",
          "<",       "${",       "{{",        "%(",          "%s",     "todo",   "secret_here",
          "not-a-",  "notreal",  "fake",      "testing"})
        if (holds_word(value, word)) return true;
    for (std::string_view word :
         {"password", "passwd",   "pass",          "pwd",    "secret",    "token",    "none",      "null",
          "nil",      "true",     "false",         "string", "undefined", "optional", "required",  "test",
          "guest",    "admin",    "root",          "user",   "username",  "postgres", "anonymous", "hunter2",
          "tiger",    "required", "default",       "empty",  "bearer",    "basic",    "md5",       "sha1",
          "sha256",   "prompt",   "scram-sha-256", "plain",  "login"})
        if (equal_without_case(value, word)) return true;
    return std::set<char>(value.begin(), value.end()).size() < std::min<std::size_t>(5, value.size());
}

/// "spacy.Tokenizer.v1", "name_of.something2": parts that begin with a letter, of a few letters each.
bool is_dotted_identifier(std::string_view value) {
    if (value.find('.') == std::string_view::npos) return false;
    while (!value.empty()) {
        std::string_view part = value.substr(0, value.find('.'));
        value.remove_prefix(std::min(part.size() + 1, value.size()));
        std::size_t digits = 0;
        for (char c : part) {
            auto byte = static_cast<unsigned char>(c);
            if (std::isalnum(byte) == 0 && c != '_') return false;
            digits += std::isdigit(byte) != 0;
        }
        if (part.empty() || std::isdigit(static_cast<unsigned char>(part[0])) != 0 || digits > 3)
            return false;
    }
    return true;
}

/// A name, a path, an address or a sentence: words, not chance.
bool looks_like_words(std::string_view value) {
    std::size_t digits = 0, letters = 0, others = 0, changes = 0;
    bool before = false;
    for (std::size_t i = 0; i < value.size(); ++i) {
        auto c = static_cast<unsigned char>(value[i]);
        bool digit = std::isdigit(c) != 0;
        digits += digit;
        letters += std::isalpha(c) != 0;
        others += std::isalnum(c) == 0;
        changes += i > 0 && digit != before;
        before = digit;
    }
    if (letters == 0 || digits == 0 || is_dotted_identifier(value)) return true;
    if (digits < 2 || changes < 3) return true;
    // Names with their parts put together, as of options, classes and addresses.
    return others > value.size() / 4 || value.find("://") != std::string_view::npos ||
           value.find('/') != std::string_view::npos || value.find('(') != std::string_view::npos;
}

bool is_settings_file(const std::string& file) {
    std::string name = base_name(file);
    std::string ending = fs::path(name).extension().string();
    static const std::set<std::string> endings{".env",        ".ini",    ".cfg",   ".conf",
                                               ".toml",       ".yaml",   ".yml",   ".json",
                                               ".properties", ".config", ".netrc", ".pgpass"};
    return endings.contains(ending) || name.starts_with(".env") || name == ".netrc" || name == ".pgpass" ||
           name == "credentials" || any_names(&Conventions::credential_files, name);
}

/// Of three letters in a machine word, whatever their case (and for some marks whatever they are).
std::size_t hash_of(std::uint32_t three) { return (((three & 0xFFFFFF) | 0x202020) * 0x9E3779B1u) >> 16; }

std::size_t hash_at(const char* at) {
    std::uint32_t three = 0;
    std::memcpy(&three, at, 3);
    return hash_of(three);
}

std::uint32_t line_ends(std::string_view text) {
    return static_cast<std::uint32_t>(std::count(text.begin(), text.end(), '\n'));
}

std::uint32_t line_at(std::string_view content, std::size_t at) {
    return 1 + line_ends(content.substr(0, at));
}

/// The line of a place that goes through a content from its start to its end: one line may be all of it.
class LineAt {
  public:
    explicit LineAt(std::string_view content) : content_(content) {}

    void go_to(std::size_t at) {
        std::string_view passed = content_.substr(at_, at - at_);
        if (std::size_t end = passed.rfind('\n'); end != std::string_view::npos) {
            number_ += line_ends(passed);
            start_ = at_ + end + 1;
            is_long_.reset();
        }
        at_ = at;
    }
    std::size_t start() const { return start_; }
    std::uint32_t number() const { return number_; } ///< counted from 1
    bool is_long() {
        if (!is_long_)
            is_long_ = content_.size() - start_ > longest_line &&
                       content_.substr(start_, longest_line).find('\n') == std::string_view::npos;
        return *is_long_;
    }

  private:
    std::string_view content_;
    std::size_t at_ = 0, start_ = 0;
    std::uint32_t number_ = 1;
    std::optional<bool> is_long_;
};

} // namespace

struct SecretSearch::Kind {
    std::string name, what;
    bool settings_only = false;
    double least_entropy = 0;
    RE2 pattern;
    explicit Kind(const std::string& text, const RE2::Options& options) : pattern(text, options) {}
};

/// Where in a content anything may be: the first three letters of all anchors, as bits of a hash.
struct SecretSearch::Anchors {
    struct Anchor {
        std::string text;
        bool with_case = false;
        const Kind* kind = nullptr;
    };
    std::bitset<65536> first;
    std::multimap<std::size_t, Anchor> by_hash;
};

SecretSearch::SecretSearch() : anchors_(std::make_unique<Anchors>()) {}
SecretSearch::~SecretSearch() = default;
SecretSearch::SecretSearch(SecretSearch&&) noexcept = default;

std::string masked(std::string_view secret) {
    std::string shown;
    for (char c : secret.substr(0, std::min<std::size_t>(4, secret.size() / 4)))
        if (static_cast<unsigned char>(c) >= 0x20 && static_cast<unsigned char>(c) < 0x7F) shown += c;
    return fmt::format("{}... ({} characters)", shown, secret.size());
}

Result<SecretSearch> SecretSearch::read(const fs::path& data) {
    fs::path file = data / "review/secrets.toml";
    toml::parse_result parsed = toml::parse_file(file.string());
    auto broken = [&](const std::string& why) {
        return fail(ErrorKind::fault, "can't read the list of credentials", file, why,
                    "install Omnistasis anew");
    };
    if (!parsed) return broken(std::string(parsed.error().description()));
    SecretSearch search;
    RE2::Options options;
    options.set_encoding(RE2::Options::EncodingLatin1); // any bytes
    options.set_log_errors(false);
    if (const toml::array* kinds = parsed.table()["kind"].as_array())
        for (const toml::node& node : *kinds) {
            const toml::table* one = node.as_table();
            if (one == nullptr) continue;
            auto kind = std::make_unique<Kind>((*one)["pattern"].value_or(std::string()), options);
            kind->name = (*one)["name"].value_or(std::string());
            kind->what = (*one)["what"].value_or(std::string());
            kind->settings_only = (*one)["files"].value_or(std::string()) == "settings";
            kind->least_entropy = (*one)["entropy"].value_or(0.0);
            if (!kind->pattern.ok()) return broken(kind->name + ": " + kind->pattern.error());
            if (const toml::array* anchors = (*one)["anchors"].as_array())
                for (const toml::node& anchor : *anchors) {
                    std::string text = anchor.value_or(std::string());
                    if (text.size() < 3) return broken(kind->name + ": an anchor is too short");
                    std::size_t hash = hash_at(text.data());
                    search.anchors_->first.set(hash);
                    search.anchors_->by_hash.emplace(
                        hash, Anchors::Anchor{text, (*one)["case"].value_or(false), kind.get()});
                }
            search.kinds_.push_back(std::move(kind));
        }
    return search;
}

std::vector<Finding> SecretSearch::in(std::string_view content, const std::string& file) const {
    std::vector<Finding> found;
    std::set<std::pair<std::uint32_t, std::string>> seen;
    bool settings = is_settings_file(file);
    bool binary = content.substr(0, 4096).find('\0') != std::string_view::npos;
    std::map<const Kind*, std::size_t> searched; // up to where
    LineAt line(content);
    auto look = [&](const Kind& kind, std::size_t at) {
        if (kind.settings_only && !settings) return;
        // Names of secrets stand in every program's texts.
        bool by_name = kind.name == "password" || kind.name == "password-setting";
        if (binary && by_name) return;
        if (auto before = searched.find(&kind); before != searched.end() && at < before->second) return;
        line.go_to(at);
        if (by_name && line.is_long()) return;
        std::size_t start = at - std::min(at - line.start(), most_before);
        std::string_view window = content.substr(start, at - start + most_behind);
        if (by_name) {
            std::size_t end = window.find('\n', at - start);
            window = window.substr(0, end);
        }
        re2::StringPiece groups[3];
        if (!kind.pattern.Match({window.data(), window.size()}, 0, window.size(), RE2::UNANCHORED, groups, 3))
            return;
        std::string_view whole(groups[0].data(), groups[0].size());
        std::string_view secret = whole;
        for (const re2::StringPiece& group : {groups[1], groups[2]})
            if (group.data() != nullptr && !group.empty()) {
                secret = {group.data(), group.size()};
                break;
            }
        std::size_t match = static_cast<std::size_t>(whole.data() - content.data());
        searched[&kind] = match + whole.size();
        if (is_placeholder(secret) || entropy(secret) < kind.least_entropy) return;
        if (by_name && !settings && looks_like_words(secret)) return;
        if (kind.name == "password-setting" && (secret.size() < 8 || looks_like_words(secret)) &&
            !(file.find(".env") != std::string::npos && secret.size() >= 8))
            return;
        std::uint32_t number = line.number() + line_ends(content.substr(start, match - start));
        if (!seen.emplace(number, kind.name).second) return;
        std::string excerpt(whole.substr(0, static_cast<std::size_t>(secret.data() - whole.data())));
        if (std::size_t end = excerpt.find_first_of("\n\r"); end != std::string::npos) excerpt.resize(end);
        if (excerpt.size() > 60) excerpt = excerpt.substr(excerpt.size() - 60);
        found.push_back({kind.name, kind.what, file, number, excerpt + masked(secret), true, true, {}});
    };
    if (content.size() < 3) return found;
    const auto& first = anchors_->first;
    const char* bytes = content.data();
    auto look_at = [&](std::size_t i, std::size_t hash) {
        auto [from, to] = anchors_->by_hash.equal_range(hash);
        for (; from != to; ++from) {
            const Anchors::Anchor& anchor = from->second;
            std::string_view here = content.substr(i, anchor.text.size());
            if (anchor.with_case ? here == anchor.text : equal_without_case(here, anchor.text))
                look(*anchor.kind, i);
        }
    };
    // Nearly every byte ends here: one load, one product, one bit.
    std::size_t i = 0;
    for (; i + 4 <= content.size() && found.size() < most_findings; ++i) {
        std::uint32_t word = 0;
        std::memcpy(&word, bytes + i, 4);
        std::size_t hash = hash_of(word);
        if (first[hash]) look_at(i, hash);
    }
    if (i + 3 == content.size() && first[hash_at(bytes + i)]) look_at(i, hash_at(bytes + i));
    // What a shape of its own tells is not told again by the name in front of it.
    auto is_by_name = [](const Finding& one) {
        return one.kind == "password" || one.kind == "password-setting";
    };
    std::set<std::uint32_t> told;
    for (const Finding& one : found)
        if (!is_by_name(one)) told.insert(one.line);
    std::erase_if(found, [&](const Finding& one) { return is_by_name(one) && told.contains(one.line); });
    std::ranges::sort(found, {}, &Finding::line);
    return found;
}

BuildMachine BuildMachine::here(const fs::path& project_folder) {
    BuildMachine machine;
    // Of the Filesystem Hierarchy Standard (3.0): these say nothing of this machine.
    static constexpr std::array<std::string_view, 18> of_every_system{
        "/",        "/bin",       "/etc",           "/home",     "/lib",       "/opt",
        "/root",    "/sbin",      "/srv",           "/tmp",      "/usr",       "/usr/bin",
        "/usr/lib", "/usr/local", "/usr/local/bin", "/usr/sbin", "/usr/share", "/var"};
    if (std::ranges::find(of_every_system, project_folder.string()) == of_every_system.end())
        machine.project_folder = project_folder.string();
    if (const char* home = std::getenv("HOME"); home != nullptr && std::strncmp(home, "/home/", 6) == 0)
        machine.home = home;
    std::array<char, 256> name{};
    if (::gethostname(name.data(), name.size() - 1) == 0 && std::strlen(name.data()) > 5)
        machine.host = name.data();
    for (std::string_view usual : {"localhost", "debian", "ubuntu", "fedora", "desktop", "laptop", "server"})
        if (machine.host.starts_with(usual)) machine.host.clear();
    return machine;
}

std::vector<Finding> build_machine_in(std::string_view content, const std::string& file,
                                      const BuildMachine& machine) {
    std::vector<Finding> found;
    auto search = [&](const std::string& text, const char* what) {
        if (text.size() < 5) return;
        for (std::size_t at = content.find(text); at != std::string_view::npos && found.size() < 5;
             at = content.find(text, at + text.size())) {
            auto is_part = [&](std::size_t i) {
                return i < content.size() && (std::isalnum(static_cast<unsigned char>(content[i])) != 0 ||
                                              content[i] == '_' || content[i] == '-');
            };
            if (is_part(at + text.size()) || (at > 0 && text.front() != '/' && is_part(at - 1))) continue;
            found.push_back({"build-machine", what, file, line_at(content, at), text, false, true, {}});
            break;
        }
    };
    search(machine.project_folder, "the path of the project on the build machine");
    if (found.empty()) search(machine.home, "a path of the build machine, with the user's name");
    search(machine.host, "the build machine's name");
    return found;
}

std::vector<Finding> leftovers_in(const std::string& file, const std::string& place) {
    std::vector<Finding> found;
    std::string name = base_name(file);
    auto add = [&](const char* kind, const char* what, bool credential = false) {
        found.push_back({kind, what, file, 0, name, credential, true, {}});
    };
    auto ends = [&](std::initializer_list<std::string_view> endings) {
        return std::ranges::any_of(endings, [&](std::string_view ending) { return name.ends_with(ending); });
    };
    for (std::string_view folder : {".git/", ".hg/", ".svn/", ".bzr/", "CVS/"})
        if (("/" + place).find("/" + std::string(folder)) != std::string::npos) {
            add("version-control", "a file of the version control: it holds the project's history");
            break;
        }
    if (ends({"~", ".swp", ".swo", ".orig", ".rej", ".bak", ".DS_Store"}) || name == "Thumbs.db")
        add("leftover", "a leftover of an editor or a file manager");
    if (name == ".env" || name.starts_with(".env.") || name == ".netrc" || name == ".pgpass" ||
        any_names(&Conventions::credential_files, name))
        add("settings-with-secrets", "a file that is there for secrets");
    if (ends({".p12", ".pfx", ".jks", ".keystore", ".kdbx"})) add("key-store", "a store of keys", true);
    if (name == "id_rsa" || name == "id_ed25519" || name == "id_ecdsa" || name == "id_dsa")
        add("private-key", "a private key, by its name", true);
    if (ends({".sqlite", ".sqlite3", ".db"})) {
        std::error_code failed;
        bool used =
            is_there(file + "-wal") || is_there(file + "-journal") || fs::file_size(file, failed) > 64u << 10;
        if (used && !failed) add("used-database", "a database that looks as if it were in use");
    }
    return found;
}

} // namespace omnistasis::review
