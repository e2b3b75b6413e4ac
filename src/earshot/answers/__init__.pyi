from .accuracy import Within as Within
from .accuracy import fine_enough as fine_enough
from .driven import Driven as Driven
from .evidence import Evidence as Evidence
from .frequencies import Band as Band
from .receiving import Received as Received
from .solution import Solution as Solution
