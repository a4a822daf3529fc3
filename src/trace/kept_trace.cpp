#include "trace/kept_trace.h"

#include "support/own_program.h"
#include "support/stored_form.h"

#include <algorithm>
#include <array>
#include <unistd.h>
#include <vector>

namespace omnistasis::trace {

namespace {

/// Variables that say where a command was typed, and change all the time.
constexpr std::array<std::string_view, 7> of_the_terminal{"_",       "SHLVL", "OLDPWD",        "WINDOWID",
                                                          "COLUMNS", "LINES", "SSH_CONNECTION"};

/// Every field of a result, in one order for writing and reading.
template <typename Archive, typename Result> void visit(Archive& archive, Result& traced) {
    archive.value(traced.runtime);
    auto& graph = traced.graph;
    visit_list(archive, graph.units, [](auto& into, auto& unit) {
        into.value(unit.kind);
        into.value(unit.name);
        into.shared(unit.file);
        into.value(unit.place);
        into.value(unit.own);
        into.value(unit.of_runtime);
        into.shared(unit.part);
        visit_optional(into, unit.member, [&](auto& member) {
            into.value(member.name);
            into.value(member.size);
        });
    });
    visit_list(archive, graph.edges, [](auto& into, auto& edge) {
        into.value(edge.from);
        into.value(edge.to);
        into.shared(edge.reason.verb);
        into.shared(edge.reason.file);
        into.value(edge.reason.line);
        into.value(edge.reason.optional);
    });
    visit_list(archive, graph.roots, [](auto& into, auto& root) { into.value(root); });
    visit_list(archive, graph.loose_ends, [](auto& into, auto& end) {
        for (auto* text : {&end.kind, &end.what, &end.file, &end.effect, &end.advice}) into.shared(*text);
        into.value(end.line);
        into.value(end.minor);
    });
    visit_list(archive, graph.absent, [](auto& into, auto& absent) {
        into.shared(absent.name);
        into.shared(absent.file);
        into.value(absent.line);
        into.value(absent.of_runtime);
    });
    visit_list(archive, graph.left_out, [](auto& into, auto& one) {
        into.value(one.name);
        into.shared(one.file);
        into.value(one.line);
    });
    visit_list(archive, graph.not_carried, [](auto& into, auto& name) { into.value(name); });
    visit_list(archive, graph.fixed_places, [](auto& into, auto& one) {
        into.value(one.first);
        into.value(one.second);
    });
}

bool is_sound(const Graph& graph) {
    auto is_unit = [&](UnitId id) { return id < graph.units.size(); };
    return std::ranges::all_of(graph.edges,
                               [&](const Edge& e) { return is_unit(e.from) && is_unit(e.to); }) &&
           std::ranges::all_of(graph.roots, is_unit);
}

} // namespace

std::string stored_form(const Graph& graph, const std::string& runtime) {
    struct {
        const Graph& graph;
        const std::string& runtime;
    } traced{graph, runtime};
    FormWriter writer;
    visit(writer, traced);
    return std::move(writer.bytes);
}

std::optional<Traced> traced_from_stored_form(std::string_view bytes) {
    FormReader reader(bytes);
    Traced traced;
    visit(reader, traced);
    if (!reader.complete() || !is_sound(traced.graph)) return std::nullopt;
    return traced;
}

KeptResult::KeptResult(const std::string& kind, const std::string& options, std::shared_ptr<Store> store)
    : store_(std::move(store)) {
    std::string subject = kind + " " + own_program_stamp() + '\0' + options + '\0';
    std::error_code ignored;
    subject += fs::current_path(ignored).string();
    std::vector<std::string> variables;
    for (char** variable = ::environ; *variable != nullptr; ++variable) {
        std::string_view text = *variable;
        if (std::ranges::find(of_the_terminal, text.substr(0, text.find('='))) == of_the_terminal.end())
            variables.emplace_back(text);
    }
    std::ranges::sort(variables);
    for (const std::string& variable : variables) subject += '\0' + variable;
    key_ = Store::key_of(subject);
}

std::optional<KeptResult::Found> KeptResult::find_with_changes() {
    auto kept = store_->find(key_);
    if (!kept) return std::nullopt;
    FormReader reader(*kept);
    Found found;
    reader.value(found.testimony);
    reader.value(found.form);
    auto changed = reader.complete() ? Witness::changes_since(found.testimony) : std::nullopt;
    if (!changed) return std::nullopt;
    found.changed = std::move(*changed);
    return found;
}

std::optional<std::string> KeptResult::find() {
    auto found = find_with_changes();
    if (!found || !found->changed.empty()) return std::nullopt;
    return std::move(found->form);
}

void KeptResult::keep(const std::string& form, const Witness& witness) {
    auto testimony = witness.testimony();
    if (!testimony) return;
    FormWriter writer;
    writer.value(*testimony);
    writer.value(form);
    store_->keep(key_, std::move(writer.bytes));
}

std::optional<Traced> KeptTrace::find() {
    auto form = kept_.find();
    return form ? traced_from_stored_form(*form) : std::nullopt;
}

void KeptTrace::keep(const Graph& graph, const std::string& runtime, const Witness& witness) {
    kept_.keep(stored_form(graph, runtime), witness);
}

} // namespace omnistasis::trace
