#pragma once

#include "support/store.h"
#include "support/witness.h"
#include "trace/graph.h"

#include <memory>
#include <optional>
#include <string>

namespace omnistasis::trace {

/// What a trace found, with the runtime that it was for.
struct Traced {
    Graph graph;
    std::string runtime; ///< its title
};

/// The result of an earlier trace, for as long as nothing has changed that the trace looked at. Kept in the
/// user's store by all that a trace depends on besides the disk: the options, the working folder, the
/// environment and our own program.
class KeptTrace {
  public:
    /// `options` is any text that stands for the command's own settings.
    KeptTrace(const std::string& options, std::shared_ptr<Store> store);

    /// Nothing where none was kept or where it may have become another.
    std::optional<Traced> find();

    /// Keeps a result, unless what `witness` saw was still changing.
    void keep(const Traced& traced, const Witness& witness);

  private:
    std::string key_;
    std::shared_ptr<Store> store_;
};

/// The form in which a result is kept (support/stored_form.h); nothing comes back from damaged bytes.
std::string stored_form(const Traced& traced);
std::optional<Traced> traced_from_stored_form(std::string_view bytes);

} // namespace omnistasis::trace
