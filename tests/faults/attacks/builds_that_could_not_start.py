"""Values with which outputs were built that can't start: they are refused."""


def attack(yard):
    yard.write("main.py", "print('ours')\n")
    yard.write("tides.txt", "x")
    zero, long = '"\\u0000tides.txt"', '"' + "a/" * 3000 + 'tides.txt"'
    cases = {
        "an asset with a zero byte": f'[[asset]]\nfrom = {zero}\n',
        "an asset's place with a zero byte": f'[[asset]]\nfrom = "tides.txt"\nto = {zero}\n',
        "an asset's place that is too long": f'[[asset]]\nfrom = "tides.txt"\nto = {long}\n',
        "a state path with a zero byte": f'[[state]]\npath = {zero}\n',
        "a state path that is too long": f'[[state]]\npath = {long}\n',
        "a state path with a long name": '[[state]]\npath = "' + "b" * 250 + '"\n',
        "a name that is taken": '[app]\nname = "main.trace.json"\nentry = "main.py"\n',
        "a long version": '[app]\nversion = "' + "1" * (2 << 20) + '"\n',
        "a list of a million": "[trace]\ninclude = [" + '"a",' * 1000000 + "]\n",
        "the system's own files": '[[asset]]\nfrom = "/proc/self"\n',
        "a title of two lines": '[app]\ntitle = "Tide\\nExec=evil"\n',
        "an identifier with a quote": '[app]\nidentifier = "harbour\'; evil"\n',
        "an identifier that leads out": '[app]\nidentifier = "../../evil"\n',
        "a category of two lines": '[linux]\ncategories = ["Office\\nExec=evil"]\n',
    }
    for what, text in cases.items():
        yard.write("omnistasis.toml", text)
        done = yard.omnistasis("build", "main.py", "--runtime", yard.options.python, "--out", yard.path("out"), timeout=60)
        if done.returncode != 3:
            return f"{what}: exit code {done.returncode}, {done.stderr[:500]}"
        if len(done.stderr) > 4000:
            return f"{what}: the message has {len(done.stderr)} bytes"
    return None
