import argparse
import subprocess
import sys

parser = argparse.ArgumentParser(prog="berths")
parser.add_argument("--depth", type=float, default=3)
print(parser.parse_args().depth, subprocess.run([sys.executable, "-m", "this"], capture_output=True).returncode in (0, 1))
sys.exit(7)
