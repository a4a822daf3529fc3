"""The main program of an application whose entry point is a function."""

import sys

if __name__ == "__main__":
    from _omnistasis import called_function

    sys.exit(called_function()())
