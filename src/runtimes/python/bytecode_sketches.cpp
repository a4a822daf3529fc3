#include "runtimes/python/bytecode_sketches.h"

#include "support/byte_view.h"
#include "support/file_hash.h"
#include "support/own_program.h"
#include "support/subprocess.h"
#include "support/witness.h"

#include <fmt/format.h>

namespace omnistasis::python {

std::string BytecodeSketches::key_of(const std::string& file, bool* settled) const {
    return Store::key_of(fmt::format("sketch {} {} {} {}\n{}", own_program_stamp(),
                                     file_stamp(helpers_ / "sketch.py"), file_stamp(interpreter_),
                                     file_stamp(file, settled), file));
}

std::string BytecodeSketches::of(const std::string& file) {
    Witness::saw(file);
    if (interpreter_.empty()) return {};
    std::lock_guard lock(mutex_);
    if (!made_.contains(file)) make(parent_folder_of(file));
    return made_[file];
}

/// Those of a folder that are not kept from earlier, with one start of the interpreter.
void BytecodeSketches::make(const std::string& folder) {
    std::vector<std::string> missing;
    for (const FolderEntry& entry : list_folder(folder)) {
        if (entry.is_folder || !entry.name.ends_with(".pyc")) continue;
        std::string file = folder + "/" + entry.name;
        if (auto known = store_->find(key_of(file, nullptr)))
            made_[file] = *known;
        else
            missing.push_back(file);
    }
    if (missing.empty()) return;
    std::string input;
    for (const std::string& file : missing) {
        input += file + '\0';
        made_[file]; // where the interpreter fails it is not started again for the next
    }
    auto output = run_program({interpreter_, "-I", "-S", "-B", (helpers_ / "sketch.py").string()}, input);
    if (!output) return;
    std::string_view rest = output->out;
    for (const std::string& file : missing) {
        if (rest.size() < 8) return;
        std::uint64_t size = ByteView(as_bytes(rest)).quad(0);
        if (size > rest.size() - 8) return;
        made_[file] = rest.substr(8, size);
        rest.remove_prefix(8 + size);
        bool settled = false;
        std::string key = key_of(file, &settled);
        if (settled) store_->keep(key, made_[file]);
    }
}

} // namespace omnistasis::python
