"""The words by which letters name things, in English, German, French, Spanish, Dutch, Italian and Polish.

All of them are looked for in `text.folded` text: small letters without accents. A word list says what a thing is called,
never what its value looks like.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from enum import StrEnum
from typing import NamedTuple


class Topic(StrEnum):
    """What words in a letter speak of."""

    OWN = "own address"
    GATEWAY = "gateway"
    RESOLVER = "resolvers"
    NETWORK = "hand-off subnet"
    BROADCAST = "broadcast address"
    ROUTED = "routed block"
    USABLE = "further addresses"
    MASK = "mask"
    DELEGATED = "IPv6 prefix"
    MODEM = "modem"
    ELSE = "something else that has an address"
    VLAN = "VLAN tag"
    MTU = "MTU"
    NUMBER = "another number"
    USER = "PPPoE user"
    PASSWORD = "password"  # noqa: S105  (a topic, no secret)
    CIRCUIT = "circuit number"
    ORDER = "order number"
    CONTRACT = "contract number"
    REFERENCE = "reference"
    CUSTOMER = "customer number"
    TICKET = "number of a ticket"
    SPEED = "speed"
    DOWN = "speed down"
    UP = "speed up"
    FAULT = "fault number"
    PHONE = "another telephone number"
    PROVIDER = "provider"
    HANDOFF = "hand-off"
    UNTOLD = "something that is not read"


class Said(NamedTuple):
    """Words at a place, and what they speak of."""

    topic: Topic
    start: int
    end: int


# --- Sides of a line -------------------------------------------------------------------------------------------

OURS = (
    r"ours?|we|us|isp(?:'s)?|provider(?:'s|s)?|carrier(?:'s|s)?|upstream|pe|telco|operators?|supplier|network side|peer|far[- ]end|"
    r"unser(?:e[nrs]?|es)?|wir|anbieter\w*|providerseit\w*|netzbetreiber\w*|netzseit\w*|gegenstelle|gegenseite|"
    r"notre|nos|nous|operateur|fournisseur|fai|nuestr[oa]s?|operador(?:a)?|proveedor|"
    r"onze|ons|wij|aanbieder|leverancier|nostr[oaie]|operatore|fornitore|gestore|nasz(?:a|e|ego|ej)?|operatora|dostawc[ay]"
)
YOURS = (
    r"yours?|you|customer(?:'s|s)?|client(?:'s|s)?|cust|cpe|ce|site|end[- ]?user|downstream|near[- ]end|"
    r"ihr(?:e[nmrs]?|es)?|kunden?(?:seitig\w*|seite|router|gerat)?|ihnen|votre|vos|vous|vuestr[oa]|su|cliente|usted|"
    r"uw|jullie|je|jouw|klant(?:zijde)?|u(?!:)|vostr[oaie]|suo|vi|wasz(?:a|e|ego|ej)?|klient(?:a)?|panstwa|twoj"
)
THING = (
    r"(?:side|end|router|equipment|device|interface|firewall|address(?:es)?|ips?|adressen|ip(?:v4)?|box|kit|edge|port|host|appliance|wan|"
    r"seite|gerat|adresse|anschluss|cote|routeur|equipement|pare-feu|peripherique|lado|extremo|equipo|cortafuegos|enrutador|"
    r"direccion|zijde|kant|apparaat|adres|lato|apparato|indirizzo|dispositivo|strona|urzadzenie|zapora|fixed|static|public|own|new)"
)
_GATE = (
    r"gateways?|g/?w|gwy|d/?g|passerelles?|puertas? de enlace|pasarela|bram(?:ka|a|ki|y)(?: domysln[ay])?|poort|next[- ]?hop|nexthop|"
    r"standard-?gateway|standaard-?gateway"
)

#: Of words that begin at one place the longest counts, of words as long the topic named first.
WORDS: tuple[tuple[Topic, str], ...] = (
    (
        Topic.GATEWAY,
        rf"(?:(?:is|on|at|as|for)\s+)?(?:the\s+)?(?:{OURS})(?:\s+(?:own\s+)?{THING})+(?!\s+(?:user|numb|nr))"
        rf"|{THING}(?:\s+(?:de l'|du|de la|de|del|dell[ao']|van de|der|des)?\s*)(?:{OURS})\b",
    ),
    (
        Topic.OWN,
        rf"(?:for\s+)?(?:the\s+)?(?:{YOURS})(?:\s+{THING})+(?!\s*(?:{_GATE}))"
        rf"|{THING}(?:[\s-]*(?:(?:ip|address|adresse)\s+)?(?:of|at|for|beim|bei|du|de la|de|del|dell[ao']|van de|der|des|dla)?\s*(?:the\s+)?)"
        rf"(?:{YOURS})\b(?!\s+(?:router|gateway|own)\b)|(?:router|wan|ip)[- ]?ip\s+(?:beim|at)\s+(?:kunden|customer)",
    ),
    (Topic.OWN, rf"(?:for\s+)?(?:the\s+)?(?:{YOURS})(?!\s*(?:{_GATE})|[\w'])"),
    (Topic.GATEWAY, rf"(?<![\w'])(?:{OURS})(?![\w'])"),
    (
        Topic.GATEWAY,
        rf"(?:(?:your|default|def\.?|wan|ipv?[64]?|isp|next|first|votre|su|ihr|standard)[\s-]+){{0,3}}(?:{_GATE})(?:[\s-]*(?:ip|address|adresse|ipv?[46]))*"
        r"|(?:default|def\.?)[\s-]+(?:route|router)|router|routeur|route par defaut|enrutador|def\s*gw|standardroute|router domyslny"
        r"|(?:sits?|sitzen|sommes|estamos) (?:on|auf|sur|en)",
    ),
    (
        Topic.RESOLVER,
        r"(?:(?:primary|secondary|preferred|alternate|alternative|pri|sec|1st|2nd|first|second|both|our|your|public|recursive|primarer?|"
        r"sekundarer?|bevorzugter|alternativer|serveurs?|servidor(?:es)?|serwer[ya]?|server|nos|unsere)\s+)*"
        r"(?:[ps]?dns(?:[\s-]*(?:servers?|resolvers?|ip|address(?:es)?|serveur|primary|secondary|primario|secondario|primaire|secondaire))*"
        r"|name\s*servers?|namens-?servern?|resolver(?:s|en)?|resolveurs?|serveurs de noms|servidores de nombres|resolutores|"
        r"server dei nomi|risolutori|serwery nazw|\bns)[\s-]*\d?",
    ),
    (Topic.BROADCAST, r"broadcast(?:\s*-?(?:address|adresse))?|b/?cast|diffusion|difusion|rozgloszeniowy"),
    (
        Topic.DELEGATED,
        r"(?:(?:ipv?6|v6)[\s-]*)?(?:delegated|delegierter?s?|delegue|delegado|delegato|gedelegeerd|delegowany)(?:[\s-]*(?:prefix|ipv?6|range|block))*"
        r"|(?:ipv?6|v6)[\s-]*(?:prefix|pd|block|range|praefix|prafix|prefixe|prefijo|prefisso|lan|network|net|netz|allocation)|prefix(?:-|\s)delegation|\bpd\b"
        r"|(?:routed|dhcpv6)[\s-]*(?:ipv?6|pd|prefix)(?:[\s-]*(?:prefix|pd|block|range))*|prefixe delegue|prefijo delegado|prefisso delegato|praefix|prefiks\w*",
    ),
    (
        Topic.ROUTED,
        r"(?:(?:additional|extra|further|second|lan|routed|customer|inside|public|geroutet\w*|zusatzlich\w*|offentlich\w*)[\s-]+)+"
        r"(?:ipv?4?\s+)?(?:public\s+)?(?:ip[\s-]+)?(?:lan[\s-]+)?(?:subnet|block|range|network|prefix|addresses|pool|netz|subnetz|ip-netz|bereich|adressen)"
        r"|routed(?:\s+(?:to(?:\s+(?:you|your))?|over\s+it|via|ip))?|framed\s+route|(?:we|wir)\s+route|geroutet\w*|lan[\s-]?block"
        r"|reseau route|plage routee|bloc route|sous-reseau route|routee?s?|subred enrutada|bloque enrutado|enrutad[oa]s?|gerouteerd\w*(?:\s+(?:blok|subnet))?"
        r"|eigen blok|extra blok|instradat[ao]|rete instradata|sottorete instradata|trasowan\w*|podsiec trasowana|dodatkowa podsiec|lan[\s-]+(?:ip|addresses)",
    ),
    (
        Topic.USABLE,
        r"(?:(?:first|last|next|1st|erste|letzte)\s+)?(?:usable|available|assignable|useable|nutzbare?[rns]?|verfugbare?[rns]?|freie?[rn]?|utilisables?|"
        r"utilizables|disponibles?|bruikbare?|utilizzabili|disponibili|uzyteczne|dostepne|wolne)(?:\s+(?:ips?|range|addresses|hosts?|adressen|adresses))*"
        r"|plage (?:utilisable|disponible)|rango (?:utilizable|disponible)|indirizzi utilizzabili|hosts?|free(?:\s+(?:for\s+\w+|addresses|ips))?"
        r"|(?:further|additional|extra|spare) (?:ips?|addresses)|weitere adressen",
    ),
    (
        Topic.MASK,
        r"(?:your\s+)?(?:sub)?net[\s-]*masks?(?: hex)?|subnet\s+mask|(?:sub)?netzmaske|maske|masque(?:\s+de\s+(?:sous-)?reseau)?|mascara(?:\s+de\s+(?:sub)?red)?"
        r"|(?:sub)?net(?:work)?masker|masker|maschera(?:\s+di\s+(?:sotto)?rete)?|maska(?:\s+(?:podsieci|sieci))?|\bmask\b|\bs/?m\b|\bsnm\b|\bnm\b"
        r"|prefix[\s-]*(?:length|len)|prafixlange|praefixlaenge|wildcard(?:[\s-]mask)?|(?:ip|net)[\s.]len(?:gth)?|size|lunghezza prefisso|longueur",
    ),
    (
        Topic.NETWORK,
        r"(?:(?:network|subnet|net|wan|hand-?off|link|transfer|transit|transport|allocated|ip|ipv4|assigned|interconnect|connecting|p2p|point[- ]to[- ]point)[\s-]*)?"
        r"(?:network|subnet|netblock|block|allocation|range|prefix|net|cidr)(?:[\s-]+(?:address|id|range))?\b"
        r"|point[- ]to[- ]point|p2p|interconnect(?:ion)?|transit|transfer"
        r"|(?:transfer|koppel|verbindungs)?(?:sub)?netz(?:werk)?(?:adresse)?|ip-bereich|adressbereich|reseau(?: d'interconnexion)?|sous-reseau|plage|bloc"
        r"|red(?: de enlace)?|subred|rango|bloque|netwerk|blok|reeks|rete(?: assegnata)?|sottorete|blocco|siec|podsiec|zakres|pula",
    ),
    (Topic.OWN, r"(?:firewall|edge|utm|ce|pare-feu|cortafuegos|zapora)(?:\s+(?:wan|outside|ip|address|interface|port))*"),
    (
        Topic.OWN,
        r"(?:please\s+)?(?:use|configure|assign|assigned|set)(?:\s+(?:us|it|the|address|ip|as|to))*"
        r"|(?:wan )?(?:ip|address)\s*/\s*(?:mask|netmask|prefix|cidr|maske|masque)"
        r"|(?:(?:wan|public|static|fixed|internet|outside|external|primary|usable|ipv4|ipv6|v4|v6|assigned|interface|pt2pt|fix|feste|statische|offentliche|"
        r"adresse|adres|direccion|indirizzo|fixe|vast|vaste|staly|ip)[\s-]+)*"
        r"(?:ip(?:v4|v6)?(?:[\s-]*(?:addr(?:ess)?|adresse|fixe|fija|estatica|publica|statico|fisso|pubblico|own|fix))?|address|addr|adresse?|adres|direccion|indirizzo|v4|v6)\b"
        r"|\bwan\b",
    ),
    (
        Topic.MODEM,
        r"(?:(?:cable|5g|4g|lte|grey|gray|white|black|fibre|dsl|provider's|isp)[\s-]+)*(?:modems?|box|kabelbox|kabelmodem|dsl-?modem|ont|cpe router|home ?gateway)"
        r"(?:[\s-]*(?:inside|lan|ip|masker|subnet|network|mask|address|adresse))*|inside (?:address|mask|network|subnet|of the modem)|intern(?:e[srn]?)?|"
        r"red interior|reseau interne|rete interna|intern netwerk|siec wewnetrzna|own page|web page|http",
    ),
    (
        Topic.ELSE,
        r"ntp|time\s+servers?|zeitserver|smtp|mail[\s-]*(?:server|relay|host|gateway)|sip(?:\s+(?:proxy|server))?|syslog|monitoring|management|mgmt(?:\s+(?:ip|tag|vlan))?|tftp|"
        r"voip|voice|telefonie|telephon(?:y|ie)|proxy|radius|vpn|version|doc\.?|example|beispiel|valid from|dated?|building|from outside|cg-?nat|test (?:ip|address)",
    ),
    (Topic.VLAN, r"(?:c-?|customer |outer |802\.1q )?vlan(?:[\s-]*(?:id|tag|nr\.?|kennung|hex|no\.?))*|802\.1q(?:\s*tag)?|dot1q|(?:l2\s+)?tag(?:ged)?(?:\s+(?:id|with|as|number|no\.?))*|\bvl\b|\bvid\b|etiqueta|etiquette|etichetta|znacznik|getaggt(?:\s+mit)?"),
    (Topic.MTU, r"(?:max(?:imum)?\.?\s+)?(?:ip\s+)?mtu(?:[\s-]*size)?|maximum transmission unit|max(?:imum)?\.?\s+packet(?:\s+size)?|(?:max(?:imale)?\.?\s+)?paketgross?e"),
    (Topic.NUMBER, r"l2\s+mtu|mss(?:\s+to)?|mru|(?:vlan\s+)?prio(?:rity)?|p-?bit|802\.1p|cos|s-?vlan|service vlan|provider vlan|outer vlan|ports?|vci|vpi|asn?|rack|floor|building|distance|page|seite|pagina|snr|nm"),
    (
        Topic.USER,
        r"(?:ppp(?:oe)?[\s-]*)?(?:user(?:[\s-]*(?:name|id))?|login(?:[\s-]*name)?)|access name|(?:ppp|pppoe|dial[- ]?in|einwahl|zugangs)[\s-]*(?:name|kennung|id)|benutzer(?:name|kennung)?|kennung"
        r"|anschlusskennung|teilnehmerkennung|identifiant(?: de connexion)?|utilisateur|nom d'utilisateur|(?:nombre de )?usuario|gebruiker(?:snaam)?|(?:nome )?utente|(?:nazwa )?uzytkownika?|u(?=:)|credentials",
    ),
    (
        Topic.PASSWORD,
        r"(?:ppp(?:oe)?[\s-]*|access[\s-]*|line[\s-]*)?(?:pass[\s-]?(?:word|phrase|code)|pwd|pass)|pin|secret|kenn?wort|passwort|mot de passe|mdp|contrasena|clave|wachtwoord|parola(?: chiave| d'ordine)?|haslo|p(?=:)",
    ),
    (
        Topic.FAULT,
        r"(?:report (?:a |the )?|open (?:a |the )?)?faults?(?:[\s-]*(?:desk|line|number|reporting|phone|tel\.?))*|support(?:[\s-]*(?:desk|line|number|phone))?|help[\s-]*(?:desk|line)|hotline|service[\s-]*(?:line|desk|phone|number(?=\W*\+?\d{3,5}[ \d]{6}))|noc|if it breaks|troubles?|technical (?:support|help)"
        r"|storung(?:s?(?:en|stelle|shotline|sannahme|meldung|snummer|smeldestelle))?|entstorung|technik|panne|incidents?|assistance|depannage|signaler une panne|averias?|incidencias|soporte|storing(?:en|sdienst|snummer|slijn)?"
        r"|guasti|guasto|assistenza|segnalazione|awari[ea]|zglaszanie(?: awarii)?|serwis|problems?|call us|shout|(?:is |anything )?amiss|something wrong|goes wrong|down\?|out of order|ring|outages?|emergency|service(?=\W+\+?\d{1,5}[ \d]{7})",
    ),
    (
        Topic.CIRCUIT,
        r"(?:our |your |ihr(?:es)? )?(?:circuit|line|service|svc|access|connection|cct|link|leitungs?|anschluss(?:es)?|zugangs?|ligne|acces|liaison|linea|servicio|servizio|lijn|verbinding|dienst|lacz[ea]|linii?|enlace|accesso|uslug[ai]|tail|bearer)"
        r"(?:[\s.-]*(?:id(?:entifier|s)?|no\.?|nr\.?|num(?:ber|mer|ero)|number|nummer|ref(?:erence|erenz)?\.?|kennung|bezeichnung|code|#|name|n°))?"
        r"|ref\.? service|n° (?:de )?(?:ligne|circuit|acces)|numero de (?:linea|servicio|circuito)|numer (?:lacza|linii|uslugi)|codice (?:linea|servizio)",
    ),
    (Topic.ORDER, r"(?:your |our |ihre? )?(?:order|purchase order|auftrags?|bestell(?:ung|nummer)?|commande|pedido|bestelling|opdracht|ordine|zamowieni[ea])(?:[\s-]*(?:id|no\.?|nr\.?|number|nummer|ref(?:erence)?\.?|#|n°))?|n° (?:de )?commande|numero (?:de pedido|d'ordine)"),
    (Topic.CONTRACT, r"(?:your |ihr )?(?:contract|agreement|vertrags?|contrat|contrato|contratto|umow[ay]|contract)(?:[\s-]*(?:id|no\.?|nr\.?|number|nummer|ref(?:erence)?\.?|#|n°))?|n° (?:de )?contrat|numero (?:de |di )?contrat(?:o|to)|numer umowy"),
    (Topic.REFERENCE, r"(?:our |your |unsere |notre |nuestra |onze )?ref(?:erence|erenz|erencia|erentie)?(?:[\s-]*(?:no\.?|nr\.?|number|nummer|id|#))?\.?|quote|quoting|kenmerk|riferimento|rif\.?|sygnatura|aktenzeichen|numer referencyjny|access number"),
    (Topic.CUSTOMER, r"(?:customer|account|client|cust|kunden?|klant|cliente|klienta)[\s-]*(?:id|no\.?|nr\.?|number|nummer|code|#|holder|n°|name)|cust|n° (?:de )?client|numero (?:de )?cliente|(?:codice|numero) cliente|numer klienta|account"),
    (Topic.TICKET, r"ticket(?:\s+(?:no\.?|number|for this mail))*|\btt\b|case(?:\s+(?:no\.?|number))?|planned work|invoice(?:\s+(?:no\.?|number))?|rechnung(?:snummer)?|job|visit|change|vorgang(?:snummer)?|incident|intervention|factura|facture|factuur|fattura|faktura"),
    (
        Topic.SPEED,
        r"speeds?|bandwidth|bw|bit ?rate|data rate|committed(?: information)? rate|cir|rate|throughput|tempo|bandbreiten?|geschwindigkeit|debit(?: garanti| souscrit)?|velocidad|ancho de banda|caudal|snelheid|bandbreedte|velocita|banda|predkosc|przepustowosc"
        r"|tariff|tarif(?:a|fa)?|product|produkt|produit|producto|prodotto|profile|profil|d(?:own)?l?/u(?:p)?l?|down/up|up/down|down/?load/up/?load|symmetrical|symmetric|mbit/s|mbps",
    ),
    (Topic.DOWN, r"downloads?|down(?:stream|load)?|dl|herunter|runter|abwarts|descendant|reception|bajada|descarga|neer|omlaag|giu|discesa|pobierani[ea]|do uzytkownika|downlink"),
    (Topic.UP, r"uploads?|up(?:stream|load)?|ul|hinauf|hoch|aufwarts|montant|emission|subida|carga|op|omhoog|su|salita|wysylani[ea]|uplink"),
    (Topic.PHONE, r"sales|billing|accounts?|vertrieb|rechnungen|fax|mobile|mob|office|orders|buy more|buy|verkauf|ventes|ventas|verkoop|vendite|sprzedaz|\bm(?=:)|\bt(?=:)|contact|ansprechpartner|reception|switchboard|comptabilite|facturation|facturacion|administratie|amministrazione"),
    (Topic.PROVIDER, r"(?:internet[\s-]*)?(?:service[\s-]*)?(?:provider|supplier|carrier|isp|operator|anbieter|fournisseur|operateur|proveedor|operador|aanbieder|leverancier|fornitore|operatore|gestore|dostawca)(?:[\s-]*name)?"),
    (Topic.HANDOFF, r"hand-?off|connection type|access type|service type|type of (?:connection|access)|how it connects|ip assignment|addressing|mode|protocol|connection|type|art|typ|einwahl|protocole|protocollo|tipo|modo|methode|protokol|soort|presentation|delivery"),
    (Topic.UNTOLD, r"status|state|date|installation date|activation|product code|sn|serial|mac|item|value|field|parameter|wert|feld|last change|site|address line|postcode|street|created|updated|location|room"),
)  # fmt: skip

def _in_a_line(names: str) -> str:
    """A pattern whose blanks are not the end of a line."""
    return names.replace("[\\s", "[ \\t").replace("\\s", "[ \\t]")


_COMPILED = tuple((topic, re.compile(rf"(?<![\w@.])(?:{_in_a_line(names)})(?![\w@])")) for topic, names in WORDS)


def spoken(text: str) -> Iterator[Said]:
    """All words of folded text that speak of something, none inside another: of those at one place the longest."""
    found = [
        (one.start(), one.end(), order, topic)
        for order, (topic, names) in enumerate(_COMPILED)
        for one in names.finditer(text)
        if one.end() > one.start()
    ]
    found.sort(key=lambda one: (one[0], -one[1], one[2]))
    end = -1
    for start, stop, _, topic in found:
        if start >= end:
            end = stop
            yield Said(topic, start, stop)


#: Topics whose words are ordinary ones: they name nothing where no value stands right beside them.
LOOSE = frozenset({Topic.UNTOLD, Topic.HANDOFF, Topic.PHONE, Topic.PROVIDER, Topic.UP, Topic.DOWN})

_FILL = re.compile(r"[\W_\d]+|\b(?:the|your|our|a|an|of|for|and|de|la|le|du|der|die|das|ipv?4|ipv?6|wan|internet|new|id|no|nr|mbit|mbps|mb|s|in|on|et|y|und|en|e|i|both|ambas|ambos|beide|beiden|both lines|les deux|entrambe|oba|obu|all|lines?|fixed|static|primary|secondary|symmetrical)\b")


def labels(text: str) -> list[Said]:
    """What a whole label speaks of, when nearly all of it is known words; empty: it is no label that is known."""
    plain = re.sub(r"\([^()]*\)", lambda found: " " * len(found[0]), text) + ":"
    said = list(spoken(plain))
    if not said:
        return []
    rest = plain
    for one in reversed(said):
        rest = rest[: one.start] + " " * (one.end - one.start) + rest[one.end :]
    left = _FILL.sub("", rest)
    known = sum(one.end - one.start for one in said)
    return said if len(left) <= max(3, known // 2) else []


# --- Sorts of text ---------------------------------------------------------------------------------------------

#: That no tag is sent.
UNTAGGED = re.compile(
    r"\b(?:un-?tagged|not tagged|no (?:vlan[\s-]*)?tags?|no vlans?|without (?:an? )?(?:vlan|tag)|ungetaggt|ohne (?:vlan|tag)\w*|kein(?:e)? (?:vlan|tag)\w*|non tague|sans (?:vlan|etiquette|tag|etiquetage)"
    r"|sin (?:vlan|etiqueta|etiquetar)|geen (?:vlan|tag)|zonder (?:vlan|tag)|niet getagd|ongetagd|senza (?:vlan|etichetta|tag)|non taggat[ao]|bez (?:vlan|tagu|znacznika|tagowania)|nieotagowany|nietagowan\w*)\b"
)
#: An answer that there is no such thing.
NOTHING = re.compile(
    r"^\W*(?:none|no|not? (?:used|needed|required|set|applicable)|n/?a|nil|un-?tagged|off|entfallt(?:\b.*)?|keine?[rns]?|nicht (?:benotigt|erforderlich)|ungetaggt|aucune?|sans|non(?: utilise)?|ningun[oa]?|sin|no se usa|geen|niet nodig|nee|nessun[oa]?|brak|nie|nie dotyczy|native|-+|—)(?![\w-]).{0,25}$"
)
SAME = re.compile(
    r"^\W*(?:un-?changed|no change|same|as (?:before|is)|stays?|remains?|unverandert|bleibt(?: gleich)?|wie bisher|gleich|inchangee?|identique|sin cambios?|igual|ongewijzigd|blijft(?: gelijk)?|invariat[oa]|bez zmian|\"|=|idem)\W*$"
)
OLD = re.compile(
    r"\b(?:old|previous(?:ly)?|former(?:ly)?|until now|up to now|so far|current(?:ly)? until|before the (?:move|change)|bisher(?:ige[rsn]?)?|alte?[rsn]?|vorher|bis jetzt|ancien(?:ne)?s?|avant|jusqu'ici|jusqu'a present|actuel(?:le)?"
    r"|antigu[oa]s?|anterior(?:es)?|hasta ahora|oude?|vorige?|tot nu toe|vecchi[oaie]?|precedente|finora|star[yae]|dotychczas(?:owy)?|poprzedni\w*)\b"
)
NEW = re.compile(
    r"\b(?:new|now|from (?:\w+ )?(?:tonight|now|then|tomorrow|monday|\d+)|as of|after|become?s?|changes? to|replaced by|pasan? a ser|wird zu|werden zu|ersetzt durch|devien(?:t|nent)|remplace(?:e|s)? par|wordt|worden|diventan?o?|sostituit[oi] da|staje sie|kunftig|neue?[rsn]?|ab (?:dem|sofort)|nouve(?:au|lle)s?|apres|desormais|nuev[oa]s?|nieuwe?|voortaan|nuov[oaie]|dopo|now[yae]|od teraz|po zmianie)\b"
)
STRIKING = re.compile(
    r"(?:\bnot|\band no longer|\binstead of|\breplac(?:es|ing)|\brather than|\bno longer|\bnicht(?: mehr)?|\bstatt|\banstelle von|\bersetzt|\bau lieu de|\bremplace|\bet non|\bpas|\ben lugar de|\bsustituye(?: a)?(?: la| el)?|\by no"
    r"|\bniet(?: meer)?|\bin plaats van|\bvervangt|\binvece di|\be non|\bsostituisce|\bzamiast|\ba nie|\bold|\bprevious|\bformer|\bwas|\buntil now|\bbisher(?:ige)?|\bis no|\blike|\bexcept)(?: the| address| gateway| gw| ip| die| der| le| la| el| de| il)*[\s:('\"]*$"
)
STRUCK_BEHIND = re.compile(
    r"^[\s,()'\"-]*(?:was before|was the old|is (?:the )?(?:old|gone|wrong|dead)|was wrong|was a typo|(?:will be|gets|is|was|are) (?:switched off|withdrawn|removed|retired|released|replaced)|ends|expires|goes away|no longer"
    r"|dejan? de|fallt weg|wird abgeschaltet|entfallt|disparait|ne sera plus|vervalt|sara dismess|zostanie wylaczon)"
)
CORRECTION = re.compile(r"\b(?:sorry|correction|i mean(?:t)?|scrap that|typo|oops|my mistake|wrong one|ignore (?:that|the)|korrektur|pardon|perdon|scusa|przepraszam|make that|should be)\b")
AS_LAST = re.compile(
    r"\b(?:same as|identical(?: bar| except| but| to)?|as (?:last time|before)|like the (?:last|first|other)|except(?: that)?|only difference|differs? only|bar the following|wie (?:beim letzten mal|zuletzt|bisher)|bis auf|ausser|comme (?:la derniere fois|avant)|sauf|igual que|salvo|excepto|zelfde als|behalve|come (?:l'ultima volta|prima)|tranne|eccetto|tak jak|oprocz)\b"
)

FIRST_LINE = r"main|primary|first|principale?|haupt(?:leitung|anschluss)?|hauptzugang|hoofd(?:lijn|verbinding)?|primaire|primar[ia]o?|glowne?y?|podstawow[ae]|line (?:1|a|one)|leitung (?:1|a)|ligne (?:1|a)|linea (?:1|a)|lijn (?:1|a)|circuit (?:1|a)|wan ?1|1st|a-?line|linia 1|lacze 1|active"
SECOND_LINE = r"back-?up|secondary|second|standby|fail-?over|fallback|reserve|resilien\w+|ersatz\w*|zweit(?:leitung|anschluss)?|secours|secondaire|respaldo|secundari[ao]|reserve(?:lijn)?|riserva|zapasow[ae]|rezerwow[ae]|line (?:2|b|two)|leitung (?:2|b)|ligne (?:2|b)|linea (?:2|b)|lijn (?:2|b)|circuit (?:2|b)|wan ?2|2nd|b-?line|linia 2|lacze 2"

#: Words of headings: what stands below them is not the hand-off.
OTHER_SERVICE = re.compile(r"\b(?:voice|voip|telephon\w*|telefon\w*|phones?|sip|management|mgmt|monitoring|tv|iptv|video|voz|voix|spraak|voce|glos)\b")
INSIDE = re.compile(r"\b(?:lan|inside|customer lan|innen|interne?|public lan)\b(?! ?block)")

PPPOE = re.compile(r"\bpppo[ea]\b|\bppp\b|point-to-point protocol over")
DHCP = re.compile(r"\bdhcp\b|\bautomatic(?:ally)?\b|\bdynamic(?:ally)?\b|\bautomatisch\w*|\bdynamisch\w*|\bautomatique(?:ment)?\b|\bdynamique\b|\bautomatic[oa](?:mente)?\b|\bdinamic[oa]\b|\bautomatycznie\b|\bdynamiczn\w+|\bautomatico\b|ipoe\b")
STATIC = re.compile(r"\bstatic\b|\bfixed\b|\bset by hand\b|\bfeste?r?\b|\bstatisch\w*|\bfixe\b|\bfij[oa]\b|\bestatic[oa]\b|\bvaste?\b|\bstatico\b|\bfisso\b|\bstal[yae]\b|\bstatyczn\w+|\bpermanent\b")
CHANGING = re.compile(r"\b(?:dynamic|today|may change|changes?|can change|currently|at the moment|at present|derzeit|zurzeit|wechselt|dynamisch\w*|actuellement|dynamique|changeante?|actualmente|dinamica|puede cambiar|momenteel|wisselt|attualmente|dinamico|obecnie|zmienny|from outside|shared|on the modem|on the box|auf der box|op de modem|sur le modem|en el modem|sul modem|na modemie|der box|appear)\b")
BRIDGED = re.compile(r"\bbridged?\b(?! mode is not| is not)|\bbrucke\b|\bpont\b|\bpuente\b")

NETWORK_TRADE = re.compile(
    r"\b(?:networks?|telecom\w*|telekom\w*|broadband|internet|net|online|communications?|carriers?|access|connect|cable|fib(?:re|er)|lines?|digital|data|datanet\w*|datennetze?|breitband|glasfaser|netz\w*|kabel\w*|comunicaciones|telecomunicacion\w+"
    r"|servizi di rete|rete|reti|reseaux?|telco|connectivity|hosting|wireless|link|links|isp|netwerk\w*|glasvezel|siec\w*|lacza|telekomunikacja|swiatlowod\w*|provider|services?|business lines|business net|company|telephone|wan|ethernet|metro|com|fibra|fibre|optique|optic\w*)\b|\w(?:net|telecom|telekom|netze|link|line|fiber|fibre|kabel|com)\b"
)
COMPANY_FORM = re.compile(r"\b(?:ltd|limited|plc|llp|inc|gmbh(?: & co\.? kg)?|ag|kg|s\.?a\.?(?:r\.?l\.?|s\.?)?|s\.?l\.?|b\.?v\.?|n\.?v\.?|s\.?r\.?l\.?|s\.?p\.?a\.?|sp\. z o\.?o\.?|llc|co\.?)(?=\W|$)")
