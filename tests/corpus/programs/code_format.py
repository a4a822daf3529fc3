import black
print(black.format_str("x = { 'a':1 }", mode=black.Mode()))
