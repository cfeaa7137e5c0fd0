from .book import Logbook as Logbook
