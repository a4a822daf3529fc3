// Values of the store: whatever is in them, what comes back is sound, and no larger than they could hold.
#include "review/review.h"
#include "runtimes/python/scan_cache.h"
#include "trace/kept_trace.h"

using namespace omnistasis;

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    std::string_view bytes(reinterpret_cast<const char*>(data), size);
    if (auto traced = trace::traced_from_stored_form(bytes))
        for (const trace::Edge& edge : traced->graph.edges)
            if (edge.to >= traced->graph.units.size()) __builtin_trap();
    (void)python::from_stored_form(bytes);
    review::Review review;
    (void)review::from_stored_form(bytes, review);
    return 0;
}
