from astropy import units as u
from astropy.coordinates import SkyCoord
from astropy.time import Time
from astropy.table import Table
from astropy.io import fits, ascii
print(SkyCoord(10 * u.deg, 20 * u.deg).galactic.l.deg > 0, Time('2031-05-04').jd, Table({'a': [1]}).pformat()[0], ascii.read(['a b', '1 2'])['b'][0])
