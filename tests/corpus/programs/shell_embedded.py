from IPython.core.interactiveshell import InteractiveShell
s = InteractiveShell.instance(history_manager=None) if False else InteractiveShell(colors='NoColor')
r = s.run_cell('1 + 2', silent=True)
print(r.result)
