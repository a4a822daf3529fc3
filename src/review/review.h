#pragma once

#include "project/project.h"
#include "review/components.h"
#include "review/secrets.h"
#include "support/observer.h"

#include <filesystem>
#include <string>
#include <vector>

namespace omnistasis::review {

/// A variable of the environment that the application's own code reads.
struct ReadVariable {
    std::string name;
    std::string file;
    std::uint32_t line = 0;
};

/// A component whose licence the project refuses.
struct Refused {
    std::string component;
    std::string licence;
    std::string rule; ///< the pattern of the project that fits
};

/// What somebody should know before the application is given away.
struct Review {
    Components components;
    std::vector<Refused> refused;
    std::vector<Finding> findings; ///< sorted; allowed ones too
    std::vector<ReadVariable> variables;
    std::vector<std::string> idle_rules; ///< allowances and decisions of the project that fit nothing

    /// Why nothing may be built: credentials that are not allowed, refused licences. Empty where it may.
    std::vector<std::string> reasons_to_stop() const;
};

/// Where the notice file is in the app tree.
constexpr const char* notice_place = "licences.txt";

/// Looks at all that would be shipped, on all cores.
Result<Review> review(const Project& project, const trace::Graph& graph, trace::Runtime& runtime,
                      Store& store, const std::filesystem::path& data, Observer& observer);

/// A review with the findings of some own sources searched for anew: those that have changed. All else is as
/// it was.
Result<void> review_again(Review& review, const Project& project, const trace::Graph& graph,
                          trace::Runtime& runtime, const std::vector<std::string>& changed, Store& store,
                          const std::filesystem::path& data, Observer& observer);

/// The form in which a review is kept (support/stored_form.h).
std::string stored_form(const Review& review);
bool from_stored_form(std::string_view bytes, Review& review);

} // namespace omnistasis::review
