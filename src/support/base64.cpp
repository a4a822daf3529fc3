#include "support/base64.h"

#include <openssl/evp.h>

namespace omnistasis {

std::string base64(ByteSpan bytes) {
    std::string out((bytes.size() + 2) / 3 * 4 + 1, '\0'); // a zero byte is put behind it
    int size = ::EVP_EncodeBlock(reinterpret_cast<unsigned char*>(out.data()), bytes.data(),
                                 static_cast<int>(bytes.size()));
    out.resize(static_cast<std::size_t>(size));
    return out;
}

} // namespace omnistasis
