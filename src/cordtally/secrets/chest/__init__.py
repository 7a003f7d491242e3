"""The chest: Cord Tally's own encrypted file of secrets, for a project that has nothing else (docs/chest.md).

``format`` knows the bytes, ``keys`` where a key is found, ``keeping`` the file on disk; the store is ``chests``.
"""
