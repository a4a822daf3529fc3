#include "runtimes/python/module_store.h"

#include "runtimes/python/marshal.h"
#include "support/byte_view.h"
#include "support/byte_writer.h"
#include "support/file_hash.h"
#include "support/first_failure.h"
#include "support/own_program.h"
#include "support/stored_form.h"
#include "support/subprocess.h"

#include <algorithm>
#include <atomic>
#include <charconv>
#include <fmt/format.h>
#include <oneapi/tbb/parallel_for.h>
#include <optional>
#include <sys/stat.h>
#include <thread>

namespace omnistasis::python {

namespace {

/// What an interpreter gets at once: to start one takes as long as to compile some files, and nobody shall
/// wait long for the last one.
constexpr std::size_t least_in_batch = 40, most_in_batch = 200;

/// Own modules are cut into pieces of about this many bytes and more, so that a change in one is a small
/// change.
constexpr std::size_t own_piece = 32u << 10;

template <typename Archive, typename Result> void visit_compiled(Archive& archive, Result& compiled) {
    archive.value(compiled.code);
    archive.value(compiled.error);
    archive.value(compiled.error_line);
}

std::string kept_form(ModuleStore::Compiled& compiled) {
    FormWriter writer;
    visit_compiled(writer, compiled);
    return std::move(writer.bytes);
}

} // namespace

/// All that the code depends on; empty where the source can't be read.
std::string ModuleStore::key_of(const Source& source, const std::string& interpreter) const {
    auto content = file_hash(source.file, *store_);
    if (!content) return {};
    std::string subject = "bytecode " + interpreter;
    for (const std::string& part : {source.shown_as, std::to_string(source.optimize)}) subject += '\0' + part;
    subject += as_text(*content);
    return Store::key_of(subject);
}

/// The file that the interpreter keeps beside a source (PEP 3147); of a library in the stock, what was made
/// when it came there.
std::filesystem::path ModuleStore::bytecode_file_of(const Source& source) const {
    if (!facts_.bytecode.empty() && source.optimize == 0)
        if (std::string inner = relative_to(source.file, facts_.standard_library); !inner.empty())
            return facts_.bytecode + "/" + inner + "c";
    fs::path path(source.file);
    std::string level = source.optimize == 0 ? "" : fmt::format(".opt-{}", source.optimize);
    return path.parent_path() / "__pycache__" /
           fmt::format("{}.cpython-{}{}{}.pyc", path.stem().string(), facts_.major, facts_.minor, level);
}

std::string ModuleStore::dated_header(const std::string& source) const {
    struct stat status {};
    if (::stat(source.c_str(), &status) != 0) return {};
    std::string header = facts_.magic_bytes();
    put_little(header, 0, 4);
    put_little(header, static_cast<std::uint32_t>(status.st_mtime), 4);
    put_little(header, static_cast<std::uint32_t>(status.st_size), 4);
    return header;
}

/// The code in the bytecode file of a source, under the name that the source gets; empty where there is none,
/// or the interpreter itself would not take it.
std::string ModuleStore::from_bytecode_file(const Source& source) const {
    bool has_one = !source.own && source.file.ends_with(".py");
    if (!has_one || !facts_.compiles()) return {};
    fs::path file = bytecode_file_of(source);
    // A new one for the same source is no other code.
    auto content = MappedFile::open(file, false);
    if (!content) return {};
    std::string_view bytes = content->text();
    std::string header = dated_header(source.file);
    if (header.empty() || !bytes.starts_with(header)) return {};
    return canonical_marshal(bytes.substr(header.size()), source.shown_as);
}

/// Code that has no source.
ModuleStore::Compiled ModuleStore::from_bytecode(const Source& source) const {
    auto content = MappedFile::open(source.file);
    if (!content) return {{}, content.error().why, 0};
    std::string_view bytes = content->text();
    if (bytes.size() < 16 || bytes.substr(0, 4) != facts_.magic_bytes())
        return {
            {}, fmt::format("it is bytecode of another version than {}.{}", facts_.major, facts_.minor), 0};
    std::string code = canonical_marshal(bytes.substr(16), source.shown_as);
    if (code.empty()) return {{}, "the bytecode is damaged", 0};
    return {std::move(code), {}, 0};
}

bool ModuleStore::is_bytecode(const Source& source) { return source.file.ends_with(".pyc"); }

namespace {

/// Whether two sources are the same text: systems end lines in different ways, which the code does not show.
bool is_same_text(std::string_view one, std::string_view other) {
    std::size_t i = 0, j = 0;
    auto is_line_end = [](std::string_view text, std::size_t at) {
        return text[at] == '\r' && at + 1 < text.size() && text[at + 1] == '\n';
    };
    while (i < one.size() && j < other.size()) {
        i += is_line_end(one, i);
        j += is_line_end(other, j);
        if (one[i++] != other[j++]) return false;
    }
    return i == one.size() && j == other.size();
}

} // namespace

/// What the interpreter keeps beside the same text on this machine; empty where there is no such.
std::string ModuleStore::from_twin(const Source& source) const {
    if (source.twin.empty()) return {};
    auto content = MappedFile::open(source.file, false), twin = MappedFile::open(source.twin, false);
    if (!content || !twin || !is_same_text(content->text(), twin->text())) return {};
    Source there = source;
    there.file = source.twin;
    return from_bytecode_file(there);
}

Result<std::vector<ModuleStore::Compiled>> ModuleStore::compile(const std::vector<Source>& sources,
                                                                unsigned jobs, Observer& observer) const {
    observer.step("compiling", sources.size());
    // By content, and not by stamp: another machine's result is as good.
    auto content_of = [&](const std::string& file) {
        auto hash = file_hash(real_path(file), *store_);
        return hash ? hex(*hash) : file_stamp(file);
    };
    // That says its version, too; the runtime may be a later one.
    std::string interpreter =
        fmt::format("{} {}", content_of("/proc/self/exe"), content_of(facts_.executable));
    std::vector<Compiled> results(sources.size());
    std::vector<std::string> keys(sources.size());
    oneapi::tbb::parallel_for(std::size_t(0), sources.size(), [&](std::size_t i) {
        if (is_bytecode(sources[i])) {
            results[i] = from_bytecode(sources[i]);
            return;
        }
        results[i].code = from_bytecode_file(sources[i]);
        if (!results[i].code.empty()) return;
        keys[i] = key_of(sources[i], interpreter);
        if (keys[i].empty()) return;
        if (auto known = store_->find_shared(keys[i])) {
            FormReader reader(*known);
            visit_compiled(reader, results[i]);
            if (!reader.complete()) results[i] = {};
        }
        if (!results[i].code.empty() || !results[i].error.empty()) return;
        results[i].code = from_twin(sources[i]);
        if (!results[i].code.empty()) store_->keep_shared(keys[i], kept_form(results[i]));
    });
    std::vector<std::size_t> missing;
    for (std::size_t i = 0; i < sources.size(); ++i)
        if (results[i].code.empty() && results[i].error.empty()) missing.push_back(i);
    observer.advance(sources.size() - missing.size());
    if (auto done = compile_new(sources, missing, results, jobs, observer); !done) return pass_on(done);
    oneapi::tbb::parallel_for(std::size_t(0), missing.size(), [&](std::size_t number) {
        std::size_t i = missing[number];
        if (!keys[i].empty()) store_->keep_shared(keys[i], kept_form(results[i]));
    });
    return results;
}

Result<void> ModuleStore::compile_new(const std::vector<Source>& sources,
                                      const std::vector<std::size_t>& which, std::vector<Compiled>& results,
                                      unsigned jobs, Observer& observer) const {
    std::size_t share = which.size() / std::max(1u, jobs) + 1;
    std::size_t batch = std::min(share, std::clamp(share / 4, least_in_batch, most_in_batch));
    std::atomic<std::size_t> next = 0;
    FirstFailure failures;

    auto compile_batch = [&](std::size_t first) -> Result<void> {
        std::size_t last = std::min(first + batch, which.size());
        std::string input;
        for (std::size_t at = first; at < last; ++at) {
            const Source& source = sources[which[at]];
            for (const std::string& field : {source.file, source.shown_as, std::to_string(source.optimize)})
                input += field + '\0';
        }
        auto output =
            run_program({facts_.executable, "-I", "-S", "-B", (helpers_ / "compile.py").string()}, input);
        if (!output) return pass_on(output);
        std::string_view rest = output->out;
        for (std::size_t at = first; at < last; ++at) {
            std::size_t i = which[at];
            std::uint64_t size = ByteView(as_bytes(rest)).quad(1);
            if (rest.size() < 9 || size > rest.size() - 9)
                return fail(ErrorKind::missing, "the interpreter's compiler stopped", sources[i].file,
                            output->err.empty() ? fmt::format("exit code {}", output->exit_code)
                                                : output->err);
            std::string_view content = rest.substr(9, size);
            if (rest[0] == 'c') {
                results[i].code = canonical_marshal(content);
                if (results[i].code.empty())
                    return fail(ErrorKind::fault, "can't read the interpreter's bytecode", sources[i].file,
                                fmt::format("from Python {}.{}", facts_.major, facts_.minor));
            } else {
                std::size_t end = std::min(content.find('\0'), content.size());
                std::from_chars(content.data(), content.data() + end, results[i].error_line);
                results[i].error = content.substr(std::min(end + 1, content.size()));
                if (results[i].error.empty()) results[i].error = "it can't be compiled";
            }
            rest.remove_prefix(9 + size);
            observer.advance(1);
        }
        return {};
    };

    auto work = [&] {
        for (;;) {
            std::size_t first = next.fetch_add(batch);
            if (first >= which.size()) return;
            if (auto done = compile_batch(first); !done) {
                failures.note(first, done.error());
                return;
            }
        }
    };
    std::vector<std::thread> workers;
    for (unsigned i = 1; i < jobs && i * batch < which.size(); ++i) workers.emplace_back(work);
    work();
    for (std::thread& worker : workers) worker.join();
    return failures.result();
}

ModuleStore::Packed ModuleStore::pack(std::vector<Module> modules, const std::vector<StoredName>& names,
                                      const BootConfig& config) {
    std::stable_partition(modules.begin(), modules.end(),
                          [](const Module& module) { return !module.unit.own; });
    // Offsets are numbers of a fixed size, so the head is as long with the right ones as with any.
    auto write_head = [&](std::uint64_t base) {
        MarshalWriter head;
        head.tuple(2);
        head.begin_dictionary();
        head.text("main");
        head.text(config.main_place);
        head.text("main_folder");
        head.text(config.main_folder);
        head.text("called");
        head.text(config.called);
        head.text("sources");
        head.boolean(config.sources);
        head.text("installed");
        head.boolean(config.installed);
        head.text("programs");
        head.text(config.programs);
        head.text("interpreter");
        head.text(config.interpreter);
        head.text("entry");
        head.begin_dictionary();
        head.text("kind");
        head.text(config.entry_module.empty() ? "script" : "module");
        head.text("name");
        head.text(config.entry_module.empty() ? "__main__" : config.entry_module);
        head.end_dictionary();
        head.text("path");
        head.list(static_cast<std::uint32_t>(config.path.size()));
        for (const std::string& place : config.path) head.text(place);
        head.text("program_has_icon");
        head.boolean(config.program_has_icon);
        head.text("library_folders");
        head.list(static_cast<std::uint32_t>(config.library_folders.size()));
        for (const std::string& place : config.library_folders) head.text(place);
        auto write_texts = [&head](const std::map<std::string, std::string>& texts) {
            head.begin_dictionary();
            for (const auto& [key, value] : texts) {
                head.text(key);
                head.text(value);
            }
            head.end_dictionary();
        };
        head.text("during");
        head.begin_dictionary();
        for (const auto& [module, functions] : config.during) {
            head.text(module);
            head.begin_dictionary();
            for (const auto& [function, variables] : functions) {
                head.text(function);
                write_texts(variables);
            }
            head.end_dictionary();
        }
        head.end_dictionary();
        head.text("calls");
        head.begin_dictionary();
        for (const auto& [module, functions] : config.calls) {
            head.text(module);
            head.list(static_cast<std::uint32_t>(functions.size()));
            for (const std::string& function : functions) head.text(function);
        }
        head.end_dictionary();
        head.text("moved");
        head.begin_dictionary();
        for (const auto& [module, paths] : config.moved) {
            head.text(module);
            write_texts(paths);
        }
        head.end_dictionary();
        head.end_dictionary();

        head.begin_dictionary();
        std::uint64_t offset = base;
        for (const Module& module : modules) {
            auto write_entry = [&](const std::string& name) {
                head.text(name);
                head.tuple(4);
                head.number(static_cast<std::int64_t>(offset));
                head.number(static_cast<std::int64_t>(module.code.size()));
                head.boolean(module.unit.place.find("/__init__.") != std::string::npos);
                head.text(module.unit.place);
            };
            write_entry(module.unit.name);
            if (module.unit.name == "__main__" && !config.entry_module.empty())
                write_entry(config.entry_module);
            offset += module.code.size();
        }
        for (const StoredName& name : names) {
            bool extension = name.kind == trace::UnitKind::extension;
            head.text(name.name);
            head.tuple(4);
            head.number(extension ? -1 : -2);
            head.number(0);
            head.boolean(!extension || name.place.find("/__init__.") != std::string::npos);
            if (extension) {
                head.text(name.place);
            } else {
                head.list(static_cast<std::uint32_t>(name.folders.size()));
                for (const std::string& folder : name.folders) head.text(folder);
            }
        }
        head.end_dictionary();
        return head.bytes();
    };
    std::string head = write_head(0);
    head = write_head(16 + head.size());
    Packed packed;
    std::size_t size = 16 + head.size();
    for (const Module& module : modules) size += module.code.size();
    packed.content.reserve(size);
    packed.content += "OMNIMOD1";
    put_little(packed.content, head.size(), 8);
    packed.content += head;
    packed.cuts.push_back(packed.content.size());
    bool own_begun = false;
    for (const Module& module : modules) {
        std::size_t since_cut = packed.content.size() - packed.cuts.back();
        bool own_begins = module.unit.own && !own_begun;
        // Where a module's code begins is a place that changes in others do not move.
        bool small_enough = own_begun && since_cut >= own_piece && module.code.size() % 4 == 0;
        if (since_cut > 0 && (own_begins || small_enough)) packed.cuts.push_back(packed.content.size());
        own_begun |= module.unit.own;
        packed.content += module.code;
        packed.shares.emplace_back(module.unit.name, module.code.size());
    }
    return packed;
}

Result<std::vector<ModuleStore::Compiled>> ModuleStore::as_they_are(const std::vector<Source>& sources) {
    std::vector<Compiled> results;
    for (const Source& source : sources) {
        if (is_bytecode(source)) {
            results.push_back(
                {{}, "it is bytecode, and no interpreter of its version is on this machine", 0});
            continue;
        }
        auto text = read_text(source.file);
        if (!text) return pass_on(text);
        results.push_back({std::move(*text), "", 0});
    }
    return results;
}

std::string ModuleStore::module_file(const std::string& code) const {
    if (!facts_.compiles()) return code;
    std::string header = facts_.magic_bytes();
    // Flag 1: hash-based, and not checked against a source file. The hash is not read then.
    header += std::string("\x01\0\0\0", 4) + std::string(8, '\0');
    return header + code;
}

} // namespace omnistasis::python
