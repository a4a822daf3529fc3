-- Compiles sources. Standard input names them, three lines for each: the source, the name that errors call it by, and
-- the file that the result goes to. A source that is wrong is told on standard output, "FILE\tMESSAGE"; for it no file
-- is written. Line numbers and names of variables stay, for messages of errors and for code that asks for them.
local load_text = loadstring or load
for source in io.lines() do
  local name, to = io.read("*l"), io.read("*l")
  local input = assert(io.open(source, "rb"))
  local text = input:read("*a"):gsub("^\239\187\191", ""):gsub("^#[^\n]*", "")
  input:close()
  local compiled, message = load_text(text, "@" .. name)
  if compiled then
    local output = assert(io.open(to, "wb"))
    output:write(string.dump(compiled))
    output:close()
  else
    print(source .. "\t" .. message:gsub("\n", " "))
  end
end
