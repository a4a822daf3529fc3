#include "review/review.h"

#include "project/assets.h"
#include "support/kept_of_file.h"
#include "support/pattern.h"
#include "support/stored_form.h"
#include "trace/capabilities.h"

#include <algorithm>
#include <fmt/format.h>
#include <mutex>
#include <oneapi/tbb/parallel_for.h>
#include <set>

namespace omnistasis::review {

namespace {

constexpr std::size_t largest_searched = 512u << 20;

/// A file that would be shipped, and whether it is the application's own.
struct Shipped {
    std::string file;
    bool own = false;
};

template <typename Archive, typename Findings> void visit_findings(Archive& archive, Findings& findings) {
    visit_list(archive, findings, [](auto& into, auto& one) {
        for (auto* text : {&one.kind, &one.what, &one.file, &one.excerpt, &one.allowed}) into.shared(*text);
        into.value(one.line);
        into.value(one.is_credential);
        into.value(one.is_own);
    });
}

template <typename Archive, typename Review> void visit(Archive& archive, Review& review) {
    visit_list(archive, review.components.all, [](auto& into, auto& one) {
        into.value(one.kind);
        for (auto* text : {&one.name, &one.version, &one.licence, &one.said_by, &one.url, &one.homepage})
            into.shared(*text);
        visit_list(into, one.licence_files, [](auto& inner, auto& file) { inner.value(file); });
    });
    visit_list(archive, review.components.of_unit, [](auto& into, auto& index) { into.value(index); });
    visit_list(archive, review.refused, [](auto& into, auto& one) {
        for (auto* text : {&one.component, &one.licence, &one.rule}) into.value(*text);
    });
    visit_findings(archive, review.findings);
    visit_list(archive, review.variables, [](auto& into, auto& one) {
        into.shared(one.name);
        into.shared(one.file);
        into.value(one.line);
    });
    visit_list(archive, review.idle_rules, [](auto& into, auto& rule) { into.value(rule); });
}

class Reviewer {
  public:
    Reviewer(const Project& project, const trace::Graph& graph, trace::Runtime& runtime, const fs::path& data)
        : project_(project), graph_(graph), runtime_(runtime), data_(data),
          machine_(BuildMachine::here(project.folder)) {}

    Result<Review> whole(Store& store, Observer& observer) {
        auto licences = LicenceList::read(data_);
        if (!licences) return pass_on(licences);
        observer.step("looking at licences", 0);
        Review review;
        review.components = find_components(graph_, runtime_, *licences, store);
        apply_decisions(review);
        refuse(review);
        if (auto done = search(shipped(), store, review.findings, observer); !done) return pass_on(done);
        read_variables(review);
        allow(review);
        return review;
    }

    Result<void> again(Review& review, const std::vector<std::string>& changed, Store& store,
                       Observer& observer) {
        std::set<std::string> files(changed.begin(), changed.end());
        std::erase_if(review.findings, [&](const Finding& one) { return files.contains(one.file); });
        std::vector<Shipped> again;
        for (const std::string& file : files)
            if (is_file(file)) again.push_back({file, true});
        if (auto done = search(again, store, review.findings, observer); !done) return done;
        review.variables.clear();
        read_variables(review);
        allow(review);
        return {};
    }

  private:
    std::vector<Shipped> shipped() const {
        std::set<std::string> seen;
        std::vector<Shipped> files;
        for (const trace::Unit& unit : graph_.units)
            if (!unit.file.empty() && seen.insert(unit.file).second)
                files.push_back({unit.file, unit.own && !project_.is_installed});
        // What can't be listed stops the build, which says so.
        auto initial = find_initial_state(project_);
        for (const AssetFile& file : initial ? *initial : std::vector<AssetFile>())
            if (seen.insert(file.file.string()).second) files.push_back({file.file.string(), true});
        return files;
    }

    Result<void> search(const std::vector<Shipped>& files, Store& store, std::vector<Finding>& all,
                        Observer& observer) {
        auto secrets = SecretSearch::read(data_);
        if (!secrets) return pass_on(secrets);
        observer.step("looking for secrets", files.size());
        std::vector<std::vector<Finding>> found(files.size());
        oneapi::tbb::parallel_for(std::size_t(0), files.size(), [&](std::size_t i) {
            found[i] = search_one(files[i], *secrets, store);
            observer.advance(1);
        });
        for (std::vector<Finding>& some : found)
            all.insert(all.end(), std::make_move_iterator(some.begin()), std::make_move_iterator(some.end()));
        std::ranges::sort(all);
        return {};
    }

    /// What a file's text holds is kept for as long as the file is the same.
    static std::vector<Finding> secrets_in(const Shipped& shipped, const SecretSearch& secrets,
                                           Store& store) {
        auto kept = kept_of_file(
            shipped.file, "secrets " + own_program_stamp(), store,
            [&](ByteSpan content) {
                return content.size() <= largest_searched ? secrets.in(as_text(content), shipped.file)
                                                          : std::vector<Finding>();
            },
            [](auto& archive, std::vector<Finding>& findings) { visit_findings(archive, findings); });
        std::vector<Finding> found = kept ? std::move(*kept) : std::vector<Finding>();
        // What others have published is no secret of the application's: it is told, and stops nothing.
        for (Finding& one : found) {
            one.is_own = shipped.own;
            one.is_credential &= shipped.own;
        }
        return found;
    }

    std::vector<Finding> search_one(const Shipped& shipped, const SecretSearch& secrets, Store& store) const {
        std::vector<Finding> found = secrets_in(shipped, secrets, store);
        if (!shipped.own) return found;
        std::string place = relative_to(shipped.file, project_.folder.string());
        auto add = [&](std::vector<Finding> more) {
            found.insert(found.end(), std::make_move_iterator(more.begin()),
                         std::make_move_iterator(more.end()));
        };
        if (auto content = MappedFile::open(shipped.file);
            content && content->bytes().size() <= largest_searched)
            add(build_machine_in(content->text(), shipped.file, machine_));
        add(leftovers_in(shipped.file, place.empty() ? shipped.file : place));
        return found;
    }

    void read_variables(Review& review) {
        auto* reviews = trace::as<trace::ReviewsSources>(runtime_);
        if (reviews == nullptr) return;
        for (const trace::Unit& unit : graph_.units) {
            if (!unit.own || !trace::is_source(unit.kind)) continue;
            for (auto& [name, line] : reviews->variables_read(unit))
                review.variables.push_back({name, unit.file, line});
        }
        std::ranges::sort(review.variables, {},
                          [](const ReadVariable& one) { return std::tie(one.name, one.file, one.line); });
    }

    void apply_decisions(Review& review) const {
        for (const LicenceDecision& decision : project_.licence_decisions)
            for (Component& component : review.components.all)
                if (fits_pattern(component.name, decision.package)) {
                    component.licence = decision.licence;
                    component.said_by = "the project: " + decision.reason;
                }
    }

    void refuse(Review& review) const {
        for (const Component& component : review.components.all) {
            // Of "A OR B" the application may take either.
            std::vector<std::string> names = licences_in(component.licence);
            if (names.empty()) names.push_back("unknown");
            bool choice = component.licence.find(" OR ") != std::string::npos &&
                          component.licence.find(" AND ") == std::string::npos;
            std::size_t count = 0;
            std::string rule;
            for (const std::string& name : names)
                for (const std::string& pattern : project_.refused_licences)
                    if (fits_pattern(name, pattern)) {
                        ++count;
                        rule = pattern;
                        break;
                    }
            if (count > 0 && (!choice || count == names.size()))
                review.refused.push_back(
                    {component.name, component.licence.empty() ? "not known" : component.licence, rule});
        }
    }

    /// Marks what the project allows, and notes which of its rules fit nothing.
    void allow(Review& review) const {
        std::vector<bool> used(project_.allowances.size());
        for (Finding& finding : review.findings) {
            finding.allowed.clear();
            std::string inner = relative_to(finding.file, project_.folder.string());
            for (std::size_t i = 0; i < project_.allowances.size(); ++i) {
                const Allowance& one = project_.allowances[i];
                bool kind = one.kind.empty() || one.kind == finding.kind;
                bool file = fits_pattern(inner.empty() ? finding.file : inner, one.file, '/') ||
                            fits_pattern(finding.file, one.file, '/');
                if (!kind || !file) continue;
                finding.allowed = one.reason;
                used[i] = true;
            }
        }
        review.idle_rules.clear();
        for (const LicenceDecision& decision : project_.licence_decisions)
            if (std::ranges::none_of(review.components.all, [&](const Component& component) {
                    return fits_pattern(component.name, decision.package);
                }))
                review.idle_rules.push_back(fmt::format("{}: nothing that is shipped is called {}",
                                                        decision.where, decision.package));
        for (std::size_t i = 0; i < used.size(); ++i)
            if (!used[i])
                review.idle_rules.push_back(fmt::format("{}: nothing is found in {} that is allowed there",
                                                        project_.allowances[i].where,
                                                        project_.allowances[i].file));
    }

    const Project& project_;
    const trace::Graph& graph_;
    trace::Runtime& runtime_;
    fs::path data_;
    BuildMachine machine_;
};

} // namespace

std::vector<std::string> Review::reasons_to_stop() const {
    std::vector<std::string> reasons;
    for (const Finding& one : findings)
        if (one.is_credential && one.allowed.empty())
            reasons.push_back(fmt::format("{}{}: {}: {} (kind {})", one.file,
                                          one.line == 0 ? "" : fmt::format(":{}", one.line), one.what,
                                          one.excerpt, one.kind));
    for (const Refused& one : refused)
        reasons.push_back(fmt::format("{}: its licence is {}, which the project refuses ({})", one.component,
                                      one.licence, one.rule));
    return reasons;
}

Result<Review> review(const Project& project, const trace::Graph& graph, trace::Runtime& runtime,
                      Store& store, const fs::path& data, Observer& observer) {
    return Reviewer(project, graph, runtime, data).whole(store, observer);
}

Result<void> review_again(Review& review, const Project& project, const trace::Graph& graph,
                          trace::Runtime& runtime, const std::vector<std::string>& changed, Store& store,
                          const fs::path& data, Observer& observer) {
    return Reviewer(project, graph, runtime, data).again(review, changed, store, observer);
}

std::string stored_form(const Review& review) {
    FormWriter writer;
    visit(writer, review);
    return std::move(writer.bytes);
}

bool from_stored_form(std::string_view bytes, Review& review) {
    FormReader reader(bytes);
    visit(reader, review);
    return reader.complete();
}

} // namespace omnistasis::review
