"""What a solve can be asked: networks, drives, fields, evidence."""
