from .findings import Finding as Finding
from .findings import Findings as Findings
from .sheet_check import sheet_quality as sheet_quality
