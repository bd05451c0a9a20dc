"""The words that word secrets are made of: plain, short, easy to say and to type."""

_LIST = """
able acorn acre actor adapt adopt agile agree ahead aisle alarm album alder alert alley allow alloy almond alone along
alpha amber amble ample anchor angle ankle annex apple apron arbor arch arena argue arise armor aroma array arrow
ashen aspen asset atlas atom attic audio august aunt autumn avenue avid avoid awake award aware axis bacon badge bagel
baker balance balcony ballad bamboo banjo banner barge barley barn barrel basil basin basket bathe baton bay beach
bead beam bean bear beard beaver bedrock beech beet begin bell belong bench berry bike birch bird biscuit bishop bison
blade blank blanket blaze blend bloom blossom blue bluff board boat bobbin bold bolt bonus book boots border borrow
bottle boulder bounce bow bowl brace braid branch brand brass brave bread break breeze brick bridge brief bright bring
brisk broad bronze brook broom brown brush bucket budget bugle build bulb bundle buoy bureau burrow bus butter button
cabin cable cactus calm camel camera camp canal canary candle canoe canopy canvas canyon cape caramel carbon card
cargo carol carpet carrot cart carve castle cattle cedar cello cement census chair chalk chapel charm chart chase
cheer cherry chess chest chief chime chip choir chord cider cinema circle citrus city civic claim clam clay clean
clear clerk clever cliff climb cloak clock cloth cloud clover coach coal coast cobalt cocoa coffee coin colony color
comet comic common compass coral corn cotton couch count county cousin cover crab craft crane crater crayon cream
creek crest crew cricket crisp crop cross crowd crown crumb crystal cube cup curb curl current curve cycle daily dairy
daisy dance dash dawn deal decade deck deep deer delta denim depot desert design desk detail dial diary diet dinner
direct disc dish ditch dock doll dolphin dome donkey donor door double dough dove dozen draft dragon drama draw dream
dress drift drive drum duck dune dusk dust eager eagle early earth easel east easy echo edge editor effort eight elbow
elder elect elm ember empire empty energy engine enjoy enter entry equal errand escape essay event exact exit extra
fabric face factor fair falcon family famous fancy farm fast father favor feast feather fence fern ferry fiber fiddle
field fiesta fifty figure film final finch finger fir fire firm first fish flag flame flat fleet flint float flock
floor flour flow flower fluid flute foam focus fog folk forest forge fork formal fort forty forum fossil fox frame
fresh friend frog front frost fruit fudge funnel future gable galaxy game garden garlic gate gather gauge gem gentle
giant ginger giraffe glacier glad glass globe glory glove glow goal goat gold golf good goose gorge grace grain grand
grant grape graph grass gravel great green grid grip grove guard guess guest guide guitar gulf gull gust habit hail
half hall hammer hamper hand harbor hardy harp hatch haven hawk hazel head heart hedge height helm help hemp herb herd
hero heron hiker hill hinge hobby holly home honest honey hood hope horn horse host hotel hour house humble hurdle
husky hymn icicle icon idea igloo image inch index indigo inlet ink inner insect invite iris iron island item ivory
ivy jacket jade jaguar jam jasmine jazz jelly jewel jigsaw join joke journal joy judge juice jumbo jump june jungle
junior jury kayak keen keep kelp kennel kettle key kiln kind king kite kitten kiwi knee knit knob knot koala label
ladder lady lake lamb lamp lance land lane lantern large lark latch later laurel lava lawn layer leaf lean learn
leather ledge legend lemon lens lentil letter level lever lilac lily limb lime linen lion list little lively lizard
llama loaf lobby local locker lodge lofty logic long loom loop lotus loud lucky lunar lunch lyric magic magnet maize
major mango manor maple marble march margin marina market marsh mason master match meadow medal melody melon member
memo mentor menu merit merry metal meter middle mild mile milk mill mimic minor mint mirror mist mitten mobile model
modern moment monday money month moon moose moral moss motel mother motor mound mouse movie mud muffin mulch mural
muscle museum music mustard mystic napkin narrow nation native nature navy near neat nectar needle nest nettle never
nickel night nine noble noon north notch note novel nurse nutmeg oak oasis oat object ocean octave offer office often
olive omega onion open opera orange orbit orchard order organ osprey otter outer oven owl oxygen oyster pacific packet
paddle page paint palace palm panda panel panther paper parade parcel park parrot party pass pasta patch path patrol
pause peach peak peanut pear pebble pecan pedal pelican pencil pepper perch permit petal phone photo piano picnic pier
pigeon pilot pine pink pint pioneer pipe pirate pistol pitch pivot pizza place plaid plain planet plank plant plate
play plaza plenty plot plow plum plus pocket poem poet point polar polish polo pond pony pool poplar poppy porch port
post potato potter powder prairie press pretty prize profit proof proud public pulse puma pump punch pupil puppet
purple puzzle quail quartz queen quest quick quiet quill quilt quiz quota rabbit raccoon radar radio raft rail rain
raisin rally ranch range rapid raven reason rebel recipe record reed reef refuge region relay relic rely remedy repair
rescue resin rest result return rhyme ribbon rice rich ride ridge rifle right ring ripple river road robin robot
rocket rodeo roof room root rope rose rotor round route royal ruby rudder rugby ruler rumba runner rural rustic saddle
safari sage sail salad salmon salt salute sample sand sandal satin sauce savory scale scarf scene school scone scout
screen script scroll seal search season seat second secure seed select senior sequel seven shadow shape share shark
shed sheep shelf shell shelter shield shine ship shirt shoe shore short shovel shower shrimp signal silent silk silver
simple singer siren sister sketch skill skirt sky slate sleek sleeve slice slide slim slope slow smart smile smoke
smooth snack snail snow soap soccer social socket soda sofa soft solar solid solo sonar song sonic sound soup south
space spade spark spear speech speed spice spider spinach spiral spirit spoon sport spray spring spruce square squash
squid stable staff stage stamp star state statue steam steel stem step stereo stick stone stool storm story stove
street string stripe strong studio study sugar suit sum summer summit sun sunny super surf surge swan sweet swift swim
symbol syrup table tablet tailor talent talk tango tank tape target tavern teach team tempo temple ten tender tennis
tent term terrace test text theme thick thirty thorn thread three thrift thumb thyme ticket tidal tide tiger timber
time tin tiny tip tissue title toast today toffee tomato tonic tool topaz torch tornado tortoise total totem tower
town toy track trade trail train tram travel tray treat tree trek trend tribe trio trolley trout truck true trumpet
trunk trust tulip tuna tundra tunnel turbo turkey turn turtle twelve twenty twig twin two umbrella uncle union unique
unit unity upper urban urge useful usher valley value vanilla vault vector velvet vendor venture verb verse vessel
vest view villa vine vinyl violet violin visit vista vital vivid vocal voice volcano voter voyage wafer wagon waist
walnut walrus waltz water wave wax weather weave wedge week west whale wheat wheel whisk white wide wild willow wind
window wing winner winter wire wise wolf wonder wood wool word work world woven wren wrist yacht yard yarn year yellow
yoga yogurt young youth zebra zenith zero zest zigzag zinc zone zoom
"""

WORDS = tuple(_LIST.split())
