local digest, hex = require "openssl.digest", function(text) return (text:gsub(".", function(c) return ("%02x"):format(c:byte()) end)) end
print(hex(digest.new("sha256"):final "high water"))
print(require("openssl").version and "openssl" or "none")
