import pkg_resources, setuptools
print(pkg_resources.get_distribution('numpy').project_name, pkg_resources.parse_version('1.2') < pkg_resources.parse_version('1.10'))
