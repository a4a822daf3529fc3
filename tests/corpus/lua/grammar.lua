-- lpeg and its module `re`.
local lpeg, re = require "lpeg", require "re"
local number = lpeg.C(lpeg.R "09" ^ 1) / tonumber
print(lpeg.match(lpeg.Ct(number * (lpeg.P "," * number) ^ 0), "3,14,15")[3])
print(re.match("lamp at quay 7", "{%a+} ' at ' {.*}"))
