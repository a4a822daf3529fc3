#pragma once

#include "support/store.h"
#include "support/witness.h"
#include "trace/graph.h"

#include <memory>
#include <optional>
#include <string>
#include <vector>

namespace omnistasis::trace {

/// What a trace found, with the runtime that it was for.
struct Traced {
    Graph graph;
    std::string runtime; ///< its title
};

/// The result of earlier work on a project, for as long as nothing has changed that the work looked at. Kept
/// in the user's store by all that it depends on besides the disk: the options, the working folder, the
/// environment and our own program.
class KeptResult {
  public:
    /// `kind` is a word for the work; `options` any text that stands for the command's own settings.
    KeptResult(const std::string& kind, const std::string& options, std::shared_ptr<Store> store);

    /// What was kept, and what is different since.
    struct Found {
        std::string form;
        std::vector<std::string> changed; ///< paths
        std::string testimony;            ///< Witness::saw_all_of takes it over
    };
    std::optional<Found> find_with_changes();

    /// Nothing where none was kept or where it may have become another.
    std::optional<std::string> find();

    /// Keeps a result, unless what `witness` saw was still changing.
    void keep(const std::string& form, const Witness& witness);

  private:
    std::string key_;
    std::shared_ptr<Store> store_;
};

/// The same of a trace.
class KeptTrace {
  public:
    KeptTrace(const std::string& options, std::shared_ptr<Store> store)
        : kept_("trace", options, std::move(store)) {}

    std::optional<Traced> find();
    void keep(const Graph& graph, const std::string& runtime, const Witness& witness);

  private:
    KeptResult kept_;
};

/// The form in which a result is kept (support/stored_form.h); nothing comes back from damaged bytes.
std::string stored_form(const Graph& graph, const std::string& runtime);
std::optional<Traced> traced_from_stored_form(std::string_view bytes);

} // namespace omnistasis::trace
