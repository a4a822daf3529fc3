import platform
import sysconfig

import psutil

print(platform.system(), sysconfig.get_config_var("EXT_SUFFIX") is not None, psutil.Process().pid > 0, platform.python_version())
