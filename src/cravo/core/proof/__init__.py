"""For which frames is each region right?"""
