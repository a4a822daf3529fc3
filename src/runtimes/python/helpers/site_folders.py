# Where an application runs from source on another system's interpreter: its packages' folders, with their path files,
# as if they were installed there. Children inherit them.
import os
import site

for folder in os.environ["OMNISTASIS_SITE_FOLDERS"].split(os.pathsep):
    site.addsitedir(folder)
