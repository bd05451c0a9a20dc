"""The words that word secrets are made of, 1,250 of our own.

They were written down for Octaplan from five fields (shore, tools, weather, crafts, garden) and what lies about them,
and kept when they have four to eight letters, no two sound alike (by Metaphone), none begins another, any two differ
in more than one key stroke, none belongs to the spelling alphabet, and all are spelt alike wherever English is.
"""

_LIST = """
acacia acanthus acorn adze alder alfalfa allium allspice almanac almond aloe alpaca amaranth anchor anemone angelica
angora aniseed antler anvil apricot apron argyle aspen aster auger autumn avocado awning axle azalea backsaw badger
bagpipe bairn bakery ballpeen bamboo bandana bandsaw barley barnacle basalt basil basketry bathtub batik bayleaf
bayside bead beanpole bearing bedding beech beehive beeswax beetle beetroot begonia belfry bellows bergamot beveller
bilberry bilby billhook binding bindweed biscuit bison bitts blackout blade blanket blender blizzard bloom blossom
bluebell bluetit bluster bobbin bobstay bodkin bolts bonnet bootlace borage border botany boulder bowsaw bowsprit
boxwood brace bracken brackish bramble bramley brazing breadbin breaker briar bridle bristle broach brocade broccoli
brook buckram buffalo buffer bugle bulbs bulkhead bulrush bulwark bungalow buoyed burdock burlap burnish burr bushing
butler buttress cabbage cabin cactus calico calmness cambric camel campion camshaft canal canework cannery canoe
canvas canyon capstan caravan caravel caraway cardigan carding cardoon carpet carver cashbox cashmere casting castle
castor cathead catkin catmint caulking causeway cavern cellar centaury ceramic chalet chandler chanty chapel charcoal
chard chaser cheddar chenille chervil chestnut chevron chickpea chiffon chilly chimney chintz chisel chive chock
chutney cirrus clasp cleats clematis clevis climate climber clippers cloche clogs cloister cloudlet coaming cobble
cobweb cockerel cockle coconut codfish coldsnap collage collet comfrey compass compost conifer contrail cooper coping
coracle cordage cornus cottage cotton coupler cowslip crabpot cradle crank crater crayon creel crescent crevice
cricket crimson crocus crosscut crossing crowbar crowfoot crucible crumpet cucumber cultivar cumulus cupboard current
cushion cutlery cutter cuttings cuttle cyclamen cyclone cypress dahlia daisy damask damper dampness damson darning
davit daybreak daylight daymark decanter deckhand deluge dewdrop dewfall digging dimity dinghy dividers dockyard
dogwood doldrum dolphin donkey doorbell doormat dormouse doryman dovecote dovetail downhill downpour drapery drawer
dredger drifter driftnet drillbit drizzle droplet drought dugong dumpling dunes dunlin dusky dustbin dustpan dyestuff
dynamo earwig easterly ebbing ebony eclipse edger edging eelgrass eggshell egret embark emboss emerald enamel endive
engraver equinox ermine espalier estuary etching evening eyebolt fabric fairlead fairway falcon farmyard farrier
fastener fathom feather felting fennel fern ferret ferrule ferryman fescue feverfew fiddler figurine filigree filings
firefly firkin fishbone fisher fishpond flagpole flamingo flange flannel flapjack flatbed flatfish flax fleece floret
flotilla flotsam flounce flounder flurry flute flywheel fogbank fogbow foghorn foliage footpath forceps forcing
foremast forest fortress foundry fountain foxglove foxhole freesia fresco freshet fretsaw frieze frigate fringe froe
fruiting fulcrum fungus furling furnace gaffsail gallery gander gannet garfish garland garlic garment gasket gatepost
gauge gauntlet gazebo gazelle gearbox gelding gentian geranium geyser gherkin gilder gimbals gimlet ginger gingham
giraffe girdle glaze glazier glen gloaming glover goblet gondola gorse gosling grafting granary grape grapnel greenfly
grinder gripper grommet grotto grove groyne guava gudgeon gurnard gust haddock hagfish halcyon halibut halter halyard
hamlet hammer hamster handle handloom harebell harness harpoon hasp hatband hatchway hauler hawkmoth hawthorn hayfork
hayloft haymaker hayrick haystack haze headland headsail headwind hearth heatwave hedgehog hedgerow heirloom helmet
helmsman hemline hemming henbane heron herring hessian hexagon hibiscus hillock hillside hilltop hinge hobnail hoist
holdfast honesty honeybee honeydew honing hopper hops horizon hornbeam hosepipe hosiery humid hummock humus hutch
hydrant icecap icefloe icicle impeller indigo ingot inkwell inshore insulate iris ironing ironwork island islet ivory
jackdaw jacquard jaguar jamjar jampot jasmine jerkin jersey jetsam jetty jewel jigsaw joinery jointer jonquil journal
jumper kale kayak keelboat kelpie kerchief kestrel keyhole keypad keystone kingfish knapweed knitting knots knotweed
knurl laburnum lace lacquer ladle ladybird lagoon lakeside lambing landfall landing landslip lantern lanyard lapwing
larch larder lardy larkspur lathe lattice laurel lavender laver leek leeward lemon leopard lichen lifebelt lifeboat
lighter lilac limekiln limpet linchpin linen lining linnet linocut linseed lintel lizard loam lobelia lobster locket
lockgate locknut lodge logbook logfire longboat lovage lowland lugger lugsail lugworm lull lupin luthier lynx mackerel
magnet magnolia magpie mahonia mainmast mainsail mallard mallow mandarin mandrel mangle mangrove mantel maple marble
marigold mariner marjoram marker marlin marquee marten marzipan masthead matchbox mattock mayfly mealworm medlar
meerkat melon merino mermaid midday midnight mildness milliner millpond millrace mimosa minnow mint mirror mistral
misty mitten mizzen moisture molehill monsoon moonbeam moonlit moonrise moorage moorhen mooring moorland morning
mortar mortise moss moth mudflat mudguard mudlark muffler muggy mugwort mulberry mulch mullet mural mushroom muskrat
muslin mussel mustard myrtle nailgun napkin narrows narwhal nautilus nectar nestbox nettle newt nimbus noonday nozzle
nursery nuthatch nutmeg nylon oakwood oarlock oarsman oatcake oatmeal oats obelisk oceans octagon octopus offing
offshore oilcan oilcloth oilskin oilstone oleander olive onion opal orange orbit orchard orchid oregano organza
origami ormolu osprey ostrich otter outhouse overcast overcoat owlet oxcart oxeye oxhide oxlip oyster padlock pagoda
painter painting pancake panniers papaya paprika parapet parasol paring parrel parrot parsnip pastry pattern pavilion
peach peacock peanut peapod pear pebbles pebbly pedal pelican pendant pepper pergola petrel petunia pheasant pickaxe
pigeon piglet pigment pigsty pilchard pincers pine pinion pinking pinnacle pintle pippin piston pitcher pivot pizza
plait plankton plantain planter pliers plum plunger plywood polisher pollack pollard pollen pondweed pontoon poplar
poplin porpoise portage porthole portico portrait potato potshed pottery potting prairie prawns primrose pruner
pruning puffin puller pumice pumpkin punch purslane python quagga quarry quartz quilting quince quiver radish raffia
rafter raftsman ragworm rainbow raincoat raindrop rainfall rainpipe rainy rambler rampart rapeseed ratchet ratline
ravine reamer redshank redwing reed reefknot regatta reindeer ringdove ripening ripple riptide riverbed rivet roadside
robin rockery rockpool roebuck roller rooftop ropewalk rosebud rosehip rosemary rosette rotunda router rowan rowboat
rowlock rubber rucksack ruffle rulers rushwork rustic saddler saffron salmon samphire sampler sandbank sandbar
sandwich sapling sardine sash sateen saucepan sausage sawbench sawdust sawhorse sawmill scabious scarf scarlet
schooner scissor scoop scorcher scraper scriber scullery scuppers seabird seam seashell season seawall seaweed
secateur secluded seedbed seedling selvedge sequin sewing shackle shade shamrock sharkfin shearing shears shellac
shepherd shim shingle shipmate shipyard shirting shiver shoals shoehorn shovel shower shredder shrew shrimp shrub
shuttle sieve signpost silage silk silver siphon sketch skewer skiff skillet skylark slate slipper slipway slope slush
smelts smocking snail snips snorkel snowball snowdrop snowman snowshoe soapwort soil solder solstice songbird sorrel
soya spangle spaniel spanner spatula spigot spinach spindle spinning spirit splice spokes sponge spool spring sprocket
squally squeegee squid squirrel stable stairway stamen stapler starch starfish starling starry staysail steamer steamy
steeple stencil stepping stern stingray stirrup stitch stoat stockade stopcock stork stormy stowaway strainer strand
stratus stump sturgeon sumac summer summit sunbeam sunburst sundae sundial sundown sundress sunlit sunrise sunset
sunshade sunshine swabber swage swatch sweetpea swivel sycamore tabard tabby tabletop tadpole tailwind tamarisk
tambour tanker tapestry tapir tarragon tartan tassel teacup teapot tempest template tendril tenon terrace terrapin
terrier textile thatch thermal thicket thimble thorn thread thrift throstle thrush thunder thyme tidal tideway tidings
tiepin tiller tinsmith toadflax toggle tollgate tongs toolbox topaz topmast topsail torch tornado tower towline
towpath tracery traction tractor trawler treetop trefoil trellis trestle tricot trident trimaran trinket trireme
tropic trowel trug tuber tugboat tulip tundra tunnel turban turbot turf turner turnip tweed tweezer twilight twill
twine twister typhoon umbrella undertow uplands upriver urchin valerian valve varnish vaulted vellum velvet veneer
verbena verge vernal vernier vessel vest vetch viaduct viburnum vicarage vice vineyard viola violin vixen vortex
voyage wagtail walkway walnut walrus warbler wardrobe warmth warp warren washer watering wattle wavelet waxwork weasel
weaver wedge weeding weft weigh welder westerly wharf wheatear whelk wherry whippet whistle whiteout wicker wildfire
willow wimple winch windbag windfall windlass windmill windsock windward windy winter wiper woodbine woodcut woodland
woodlark woodpile woodruff woodshed woodwork workshop wormwood worsted wrasse wreck wrench yacht yardarm yarn yarrow
yeoman yoke yucca zebra zenith zephyr zigzag zinnia zipper
"""

WORDS = tuple(_LIST.split())
