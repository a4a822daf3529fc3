import sys

from tideboard.commands import main

if __name__ == "__main__":
    sys.exit(main())
