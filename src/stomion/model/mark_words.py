"""256 short words, easy to tell apart over a telephone: one stands for a byte of a key mark. Their order never changes."""

from __future__ import annotations

_WORDS = """
acorn amber anchor anvil apple april arrow aspen atlas autumn badge bagel bamboo banjo barley basalt basin beach
beacon beaver beetle berry birch blanket blossom bobcat bonnet border bottle bramble breeze bridge bronze brook
bucket buffalo butter cabbage cabin cactus camel candle candy canoe canyon carbon cargo carpet carrot cashew castle
cedar cello chalk cherry chestnut cider cinder citrus clay cliff clover cobalt coffee comet cookie copper coral
cotton cradle crater cricket crimson crystal curtain cypress daffodil dahlia daisy desert diamond dolphin donkey
dragon dune eagle easel ebony elbow ember emerald engine falcon fennel ferry fiddle finch fjord flannel flint forest
fossil fountain galaxy garden garlic gazelle geyser ginger glacier globe gopher granite grape gravel grove guitar
hammer hamster harbor harvest hazel heather helmet heron hickory hollow honey horizon iceberg igloo indigo island
ivory jacket jasmine jigsaw jungle larch kayak kernel kettle kitten kiwi koala ladder lagoon lantern lark lemon
lily linen lizard lobster locket lotus lumber lynx magnet mammoth mango maple marble meadow melon meteor mirror
mitten monsoon mosaic moss mustard nebula nectar needle nickel nutmeg oasis ocean olive onion opal orange orchid
otter oxide oyster paddle panda paper parrot peach pearl pebble pepper petal pewter piano pigeon pillow pine planet
plum pocket poplar prairie prism puffin pumpkin quarry quartz quill rabbit radish raisin raven reef ribbon river
robin rocket rose sable saddle saffron salmon sandal sapphire scarlet shadow shell silver slate spider spruce
squirrel summit sunset tangerine teapot temple thistle thunder timber topaz trumpet tulip tundra turtle umbrella
valley velvet violet walnut willow winter
"""
MARK_WORDS: tuple[str, ...] = tuple(_WORDS.split())
