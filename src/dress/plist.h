#pragma once

namespace omnistasis::dress {

/// What a property list in XML begins with ("Property List Programming Guide", Apple).
inline constexpr const char* plist_head = "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n"
                                          "<!DOCTYPE plist PUBLIC \"-//Apple//DTD PLIST 1.0//EN\" "
                                          "\"http://www.apple.com/DTDs/PropertyList-1.0.dtd\">\n"
                                          "<plist version=\"1.0\">\n";

} // namespace omnistasis::dress
