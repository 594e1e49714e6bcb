"""Reading and writing class configs: `class A: Base { key = "value"; list[] = {1, 2}; };`"""
