from .load import catalog as catalog
from .model import Catalog as Catalog
from .model import Setting as Setting
