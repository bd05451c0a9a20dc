"""The words by which letters name things, in English, German, French, Spanish, Dutch, Italian and Polish.

All of them are looked for in `text.folded` text: small letters without accents. A word list says what a thing is
called, never what its value looks like.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from enum import StrEnum
from typing import NamedTuple


class LetterTopic(StrEnum):
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


class SaidWords(NamedTuple):
    """Words at a place, and what they speak of."""

    topic: LetterTopic
    start: int
    end: int


# --- Sides of a line -------------------------------------------------------------------------------------------

OURS = (
    r"ours?|we|us|isp(?:'s)?|provider(?:'s|s)?|carrier(?:'s|s)?|upstream|pe|telco|operators?|supplier"
    r"|network side|peer|far[- ]end|"
    r"unser(?:e[nrs]?|es)?|wir|anbieter\w*|providerseit\w*|netzbetreiber\w*|netzseit\w*|gegenstelle|gegenseite|"
    r"notre|nos|nous|operateur|fournisseur|fai|nuestr[oa]s?|operador(?:a)?|proveedor|"
    r"onze|ons|wij|aanbieder|leverancier|nostr[oaie]|operatore|fornitore|gestore|nasz(?:a|e|ego|ej)?"
    r"|operatora|dostawc[ay]"
)
YOURS = (
    r"yours?|you(?!\s+(?:should|must|need|will|point|to|have to|are|want))|customer(?:'s|s)?|client(?:'s|s)?"
    r"|cust|cpe|ce|site|end[- ]?user|downstream|near[- ]end|"
    r"ihr(?:e[nmrs]?|es)?|kunden?(?:seitig\w*|seite|router|gerat)?|ihnen|votre|vos|vous|vuestr[oa]|su|cliente|usted|"
    r"uw|jullie|je|jouw|klant(?:zijde)?|u(?!:)|vostr[oaie]|suo|vi|wasz(?:a|e|ego|ej)?|klient(?:a)?|panstwa|twoj"
)
THING = (
    r"(?:side|end|router|ce|pe|cpe|equipment|device|interface|firewall|address(?:es)?|ips?|adressen|ip(?:v4)?|box|kit"
    r"|edge|port|host|appliance|wan|"
    r"seite|gerat|adresse|anschluss|cote|routeur|equipement|pare-feu|peripherique|lado|extremo|equipo"
    r"|cortafuegos|enrutador|"
    r"direccion|zijde|kant|apparaat|adres|lato|apparato|indirizzo|dispositivo|strona|urzadzenie|zapora|fixed"
    r"|static|public|own|new)"
)
_GATE = (
    r"gateways?|g/?w|gwy|d/?g|passerelles?|puertas? de enlace|pasarela|bram(?:ka|a|ki|y)(?: domysln[ay])?"
    r"|poort|next[- ]?hop|nexthop|default via|"
    r"standard-?gateway|standaard-?gateway"
)

#: Of words that begin at one place the longest counts, of words as long the topic named first.
LETTER_WORDS: tuple[tuple[LetterTopic, str], ...] = (
    (
        LetterTopic.GATEWAY,
        rf"(?:(?:is|on|at|as|for)\s+)?(?:the\s+)?(?:{OURS})(?:\s+(?:own\s+)?{THING})+(?!\s+(?:user|numb|nr))"
        rf"|{THING}(?:\s+(?:de l'|du|de la|de|del|dell[ao']|van de|der|des)?\s*)(?:{OURS})\b",
    ),
    (
        LetterTopic.OWN,
        rf"(?:for\s+)?(?:the\s+)?(?:{YOURS})(?:\s+{THING})+(?!\s*(?:{_GATE}))"
        rf"|{THING}(?:[\s-]*(?:(?:ip|address|adresse)\s+)?(?:of|at|for|beim|bei|du|de la|de|del|dell[ao']"
        rf"|van de|der|des|dla)?\s*(?:the\s+)?)"
        rf"(?:{YOURS})\b(?!\s+(?:router|gateway|own)\b)|(?:router|wan|ip)[- ]?ip\s+(?:beim|at)\s+(?:kunden|customer)",
    ),
    (LetterTopic.OWN, rf"(?:for\s+)?(?:the\s+)?(?:{YOURS})(?!\s*(?:{_GATE})|[\w'])"),
    (LetterTopic.GATEWAY, rf"(?<![\w'])(?:{OURS})(?![\w'])"),
    (
        LetterTopic.GATEWAY,
        rf"(?:(?:your|default|def\.?|wan|ipv?[64]?|isp|next|first|votre|su|ihr"
        rf"|standard)[\s-]+){{0,3}}(?:{_GATE})(?:[\s-]*(?:ip|address|adresse|ipv?[46]))*"
        r"|(?:default|def\.?)[\s-]+(?:route|router)|router|routeur|route par defaut|enrutador|def\s*gw"
        r"|standardroute|router domyslny"
        r"|(?:sits?|sitzen|sommes|estamos) (?:on|auf|sur|en)",
    ),
    (
        LetterTopic.RESOLVER,
        r"(?:(?:primary|secondary|preferred|alternate|alternative|pri|sec|1st|2nd|first|second|both|our|your"
        r"|public|recursive|primarer?|"
        r"sekundarer?|bevorzugter|alternativer|serveurs?|servidor(?:es)?|serwer[ya]?|server|nos|unsere)\s+){0,6}"
        r"(?:[ps]?dns(?:[\s-]*(?:servers?|resolvers?|ip|address(?:es)?|serveur|primary|secondary|primario"
        r"|secondario|primaire|secondaire))*"
        r"|name\s*servers?|naamservers?|name resolution|domain (?:name )?servers?|namens-?servern?"
        r"|resolver(?:s|en)?|resolveurs?"
        r"|serveurs de noms|servidores de nombres|resolutores|"
        r"server dei nomi|risolutori|serwery nazw|\bns)[\s-]*\d?",
    ),
    (LetterTopic.BROADCAST, r"broadcast(?:\s*-?(?:address|adresse))?|b/?cast|diffusion|difusion|rozgloszeniowy"),
    (
        LetterTopic.DELEGATED,
        r"(?:(?:ipv?6|v6)[\s-]*)?(?:delegated|delegierter?s?|delegue|delegado|delegato|gedelegeerd"
        r"|delegowany)(?:[\s-]*(?:prefix|ipv?6|range|block))*"
        r"|(?:ipv?6|v6)[\s-]*(?:prefix|pd|block|range|praefix|prafix|prefixe|prefijo|prefisso|lan|network"
        r"|net|netz|allocation)|prefix(?:-|\s)delegation|\bpd\b"
        r"|(?:routed|dhcpv6)[\s-]*(?:ipv?6|pd|prefix)(?:[\s-]*(?:prefix|pd|block|range))*|prefixe delegue"
        r"|prefijo delegado|prefisso delegato|praefix|prefiks\w*",
    ),
    (
        LetterTopic.ROUTED,
        r"(?:(?:additional|extra|further|second|lan|routed|customer|inside|public|geroutet\w*|zusatzlich\w*"
        r"|offentlich\w*)[\s-]+){1,6}"
        r"(?:ipv?4?\s+)?(?:public\s+)?(?:ip[\s-]+)?(?:lan[\s-]+)?(?:subnet|block|range|network|prefix"
        r"|addresses|pool|netz|subnetz|ip-netz|bereich|adressen)"
        r"|routed(?:\s+(?:to(?:\s+(?:you|your))?|over\s+it|via|ip))?|framed\s+route|(?:we|wir)\s+route"
        r"|geroutet\w*|zusatz-?netz|zweites netz|lan[\s-]?block"
        r"|reseau route|plage routee|bloc route|sous-reseau route|routee?s?|subred enrutada|bloque enrutado"
        r"|enrutad[oa]s?|gerouteerd\w*(?:\s+(?:blok|subnet))?"
        r"|eigen blok|extra blok|blocco aggiuntivo|sottorete aggiuntiva|bloque adicional|subred adicional"
        r"|(?:bloc|plage|reseau) supplementaire|dodatkow[ay] (?:podsiec|pula)|zusatzlicher? (?:block"
        r"|bereich)|instradat[ao]|rete instradata|sottorete instradata|trasowan\w*|podsiec trasowana"
        r"|dodatkowa podsiec|lan[\s-]+(?:ip|addresses)",
    ),
    (
        LetterTopic.USABLE,
        r"(?:(?:first|last|next|1st|erste|letzte)\s+)?(?:usable|available|assignable|useable|nutzbare?[rns]?"
        r"|verfugbare?[rns]?|freie?[rn]?|utilisables?|"
        r"utilizables|libres?|liber[io]|libere|disponibles?|bruikbare?|utilizzabili|disponibili|uzyteczne|dostepne"
        r"|wolne)(?:\s+(?:ips?|range|addresses|hosts?|adressen|adresses))*"
        r"|plage (?:utilisable|disponible)|rango (?:utilizable|disponible)|indirizzi utilizzabili|hosts?"
        r"|free(?:\s+(?:for\s+\w+|addresses|ips))?|more if needed|spares?|also yours"
        r"|(?:further|additional|extra|spare) (?:ips?|addresses)|weitere adressen",
    ),
    (
        LetterTopic.MASK,
        r"(?:your\s+)?(?:sub)?net[\s-]*masks?(?: hex)?|subnet\s+mask|(?:sub)?netzmaske|maske"
        r"|masque(?:\s+de\s+(?:sous-)?reseau)?|mascara(?:\s+de\s+(?:sub)?red)?"
        r"|(?:sub)?net(?:work)?masker|masker|maschera(?:\s+di\s+(?:sotto)?rete)?|maska(?:\s+(?:podsieci"
        r"|sieci))?|\bmask\b|\bs/?m\b|\bsnm\b|\bnm\b"
        r"|prefix[\s-]*(?:length|len)|prafixlange|praefixlaenge|wildcard(?:[\s-]mask)?|(?:ip"
        r"|net)[\s.]len(?:gth)?|size|lunghezza prefisso|longueur",
    ),
    (
        LetterTopic.NETWORK,
        r"(?:(?:network|subnet|net|wan|hand-?off|link|transfer|transit|transport|allocated|ip|ipv4|assigned"
        r"|interconnect|connecting|p2p|point[- ]to[- ]point)[\s-]*)?"
        r"(?:network|subnet|netblock|block|allocation|range|prefix|net|cidr)(?:[\s-]+(?:address|id|range))?\b"
        r"|point[- ]to[- ]point|p2p|interconnect(?:ion)?|transit|transfer"
        r"|(?:transfer|koppel|verbindungs)?(?:sub)?netz(?:werk)?(?:adresse)?|ip-bereich|adressbereich"
        r"|reseau(?: d'interconnexion)?|sous-reseau|plage|bloc"
        r"|red(?: de enlace)?|subred|rango|bloque|netwerk|blok|reeks|rete(?: assegnata)?|sottorete|blocco"
        r"|siec|podsiec|zakres|pula",
    ),
    (LetterTopic.OWN, r"(?:firewall|edge|utm|ce|pare-feu|cortafuegos|zapora)(?:\s+(?:wan|outside|ip|address"
                r"|interface|port))*"),
    (
        LetterTopic.OWN,
        r"(?:please\s+)?(?:use|configure|assign|assigned|set)(?:\s+(?:us|it|the|address|ip|as|to))*"
        r"|(?:wan )?(?:ip|address)\s*/\s*(?:mask|netmask|prefix|cidr|maske|masque)"
        r"|(?:(?:wan|public|static|fixed|internet|outside|external|primary|usable|ipv4|ipv6|v4|v6|assigned"
        r"|interface|pt2pt|fix|feste|statische|offentliche|"
        r"adresse|adres|direccion|indirizzo|fixe|vast|vaste|staly|ip)[\s-]+)*"
        r"(?:ip(?:v4|v6)?(?:[\s-]*(?:addr(?:ess)?|adresse|fixe|fija|estatica|publica|statico|fisso|pubblico"
        r"|own|fix))?|address|addr|adresse?|adres|direccion|indirizzo|v4|v6)\b"
        r"|\bwan[46]?\b",
    ),
    (
        LetterTopic.MODEM,
        r"(?:(?:cable|5g|4g|lte|grey|gray|white|black|fibre|dsl|provider's|isp)[\s-]+)*(?:modems?|box"
        r"|kabelbox|kabelmodem|dsl-?modem|ont|cpe router|home ?gateway)"
        r"(?:[\s-]*(?:inside|lan|ip|masker|subnet|network|mask|address|adresse))*|inside (?:address|mask"
        r"|network|subnet|of the modem)|intern(?:e[srn]?)?|"
        r"red interior|reseau interne|rete interna|intern netwerk|siec wewnetrzna|own page|web page|http",
    ),
    (
        LetterTopic.ELSE,
        r"ntp|time\s+servers?|zeitserver|smtp|mail[\s-]*(?:server|relay|host|gateway)|sip(?:\s+(?:proxy"
        r"|server))?|syslog|monitoring|management|mgmt(?:\s+(?:ip|tag|vlan))?|tftp|"
        r"voip|voice|telefonie|telephon(?:y|ie)|proxy|radius|vpn|version|doc\.?|example|beispiel|valid from"
        r"|dated?|building|from outside|cg-?nat|test (?:ip|address)",
    ),
    (LetterTopic.VLAN, r"(?:c[ -]?|customer |outer |802\.1q )?vlan(?:[\s-]*(?:id|tag(?:ging)?|nr\.?|kennung|hex"
                 r"|no\.?))*|virtual lan(?:[\s-]*(?:id|tag))?|802\.1q(?:\s*tag(?:ging)?)?|dot1q|tagging"
                 r"|(?:l2\s+)?tag(?:ged)?(?:\s+(?:id|with|as|number|no\.?))*|\bvl\b|\bvid\b|etiqueta"
                 r"|etiquette|etichetta|znacznik|getaggt(?:\s+mit)?"),
    (LetterTopic.MTU, r"(?:max(?:imum)?\.?\s+)?(?:ip\s+)?mtu(?:[\s-]*size)?"
                r"|(?:max(?:imum)?\.?\s+)?transmission unit|(?:max(?:imum)?\.?|largest"
                r"|biggest)\s+packet(?:\s+size)?|(?:max(?:imale)?\.?\s+)?paketgross?e"),
    (LetterTopic.NUMBER, r"l2\s+mtu|mss(?:\s+to)?|mru|(?:vlan\s+)?prio(?:rity)?|p-?bit|802\.1p|cos|s[ -]?vlan"
                   r"|service vlan|provider vlan|outer vlan|ports?|vci|vpi|asn?|rack|floor|building|distance"
                   r"|page|seite|pagina|snr|nm"),
    (
        LetterTopic.USER,
        r"(?:ppp(?:oe)?[\s-]*)?(?:user(?:[\s-]*(?:name|id))?|login(?:[\s-]*name)?)|access name|(?:ppp|pppoe"
        r"|dial[- ]?(?:in|up)|einwahl|zugangs)[\s-]*(?:name|user(?:[\s-]*name)?|login|kennung|id)"
        r"|benutzer(?:name|kennung)?|kennung"
        r"|teilnehmerkennung|identifiant(?: de connexion)?|utilisateur|nom d'utilisateur"
        r"|(?:nombre de )?usuario|gebruiker(?:snaam)?|(?:nome )?utente|(?:nazwa )?uzytkownika?|u(?=:)"
        r"|credentials",
    ),
    (
        LetterTopic.PASSWORD,
        r"(?:ppp(?:oe)?[\s-]*|access[\s-]*|line[\s-]*|dial[- ]?(?:in|up)[\s-]*)?(?:pass[\s-]?(?:word|phrase"
        r"|code)|pwd|pass)|pin|secret|kenn?wort|passwort|mot de passe|mdp|contrasena|clave|wachtwoord"
        r"|parola(?: chiave| d'ordine)?|haslo|p(?=:)",
    ),
    (
        LetterTopic.FAULT,
        r"(?:ticket|trouble|incident)[\s-]*(?:desk|line)|service restoration|restoration|servicio tecnico"
        r"|service technique|servizio tecnico"
        r"|assistenza tecnica|technischer (?:dienst|support)|(?:report (?:a |the )?|open (?:a "
        r"|the )?)?faults?(?:[\s-]*(?:desk|line|number|reporting|phone|tel\.?))*|support(?:[\s-]*(?:desk"
        r"|line|number|phone))?|help[\s-]*(?:desk|line)|hotline|service[\s-]*(?:line|desk|phone"
        r"|number(?=\W*\+?\d{3,5}[ \d]{6}))|noc|if it breaks|troubles?|technical (?:support|help)"
        r"|storung(?:s?(?:en|stelle|shotline|sannahme|meldung|snummer|smeldestelle))?|entstorung|technik"
        r"|panne|incidents?|assistance|depannage|signaler une panne|averias?|incidencias|soporte"
        r"|storing(?:en|sdienst|snummer|slijn)?"
        r"|guasti|guasto|assistenza|segnalazione|awari[ea]|zglaszanie(?: awarii)?|serwis|problems?|call us"
        r"|shout|(?:is |anything )?amiss|something wrong|goes wrong|down\?|out of order|ring|outages?"
        r"|emergency|escalations?|esc|service(?=\W+\+?\d{1,5}[ \d]{7})",
    ),
    (
        LetterTopic.CIRCUIT,
        r"(?:our |your |ihr(?:es)? )?(?:circuit|line|service|svc|access|connection|cct|link|leitungs?"
        r"|anschluss(?:es)?|zugangs?|ligne|acces|liaison|lien|connexion|conexion|collegamento"
        r"|aansluit(?:ings?)?(?:nummer)?|przylacze|linia|anschlusskennung|linea|servicio|servizio|lijn"
        r"|verbinding|dienst"
        r"|lacz[ea]|linii?|enlace|accesso|uslug[ai]|tail|bearer)"
        r"(?:[\s.-]*(?:id(?:entifier|s)?|no\.?|nr\.?|num(?:ber|mer|ero)|number|nummer|ref(?:erence"
        r"|erenz)?\.?|kennung|bezeichnung|code|#|name|n°))?"
        r"|ref\.? service|n° (?:de )?(?:ligne|circuit|acces)|numero de (?:linea|servicio|circuito)"
        r"|numer (?:lacza|linii|uslugi)|codice (?:linea|servizio)",
    ),
    (LetterTopic.ORDER, r"(?:your |our |ihre? )?(?:order|purchase order|auftrags?|bestell(?:ung|nummer)?|commande"
                  r"|pedido|bestelling|opdracht|ordine|zamowieni[ea]|zleceni[ea]|ord)(?:[\s-]*(?:id|no\.?|nr\.?|number"
                  r"|nummer|ref(?:erence)?\.?|#|n°))?|n° (?:de )?commande|numero (?:de pedido|d'ordine)"),
    (LetterTopic.CONTRACT, r"(?:your |ihr )?(?:contract|agreement|vertrags?|contrat|contrato|contratto|umow[ay]"
                     r"|contract)(?:[\s-]*(?:id|no\.?|nr\.?|number|nummer|ref(?:erence)?\.?|#|n°))?"
                     r"|n° (?:de )?contrat|numero (?:de |di )?contrat(?:o|to)|numer umowy"),
    (LetterTopic.REFERENCE, r"(?:our |your |unsere |notre |nuestra |onze )?ref(?:erence|erenz|erencia"
                      r"|erentie)?(?:[\s-]*(?:no\.?|nr\.?|number|nummer|id|#))?\.?|quote|quoting|kenmerk"
                      r"|riferimento|rif\.?|id(?=[: #]+[a-z]*\d|[: #]+[a-z]+[-/])|pratica|dossier"
                      r"|vorgangsnummer|codice|sygnatura|aktenzeichen|numer referencyjny|access number"),
    (LetterTopic.CUSTOMER, r"(?:customer|account|client|cust|kunden?|klant|cliente|klienta)[\s-]*(?:id|no\.?|nr\.?"
                     r"|number|nummer|code|#|holder|n°|name)|cust|n° (?:de )?client|numero (?:de )?cliente"
                     r"|(?:codice|numero) cliente|numer klienta|account"),
    (LetterTopic.TICKET, r"ticket(?:\s+(?:no\.?|number|for this mail))*|\btt\b|case(?:\s+(?:no\.?|number))?"
                   r"|planned work|invoice(?:\s+(?:no\.?|number))?|rechnung(?:snummer)?|job|visit|change"
                   r"|vorgang(?:snummer)?|incident|intervention|factura|facture|factuur|fattura|faktura"),
    (
        LetterTopic.SPEED,
        r"speeds?|bandwidth|bw|bit ?rate|data rate|committed(?: information)? rate|cir|rate|throughput|tempo"
        r"|bandbreiten?|geschwindigkeit|debit(?: garanti| souscrit)?|velocidad|ancho de banda|caudal"
        r"|snelheid|bandbreedte|velocita|banda|predkosc|przepustowosc"
        r"|tariff|tarif(?:a|fa)?|product|produkt|produit|producto|prodotto|profile|profil"
        r"|d(?:own)?l?/u(?:p)?l?|down/up|up/down|down/?load/up/?load|symmetrical|symmetric|mbit/s|mbps",
    ),
    (LetterTopic.DOWN, r"downloads?|down(?:stream|load)?|dl|herunter|runter|abwarts|descendant|reception|bajada"
                 r"|descarga|neer|omlaag|giu|discesa|pobierani[ea]|do uzytkownika|downlink"),
    (LetterTopic.UP, r"uploads?|up(?:stream|load)?|ul|hinauf|hoch|aufwarts|montant|emission|subida|carga|op|omhoog"
               r"|su|salita|wysylani[ea]|uplink"),
    (LetterTopic.PHONE, r"sales|billing|accounts?|vertrieb|rechnungen|fax|mobile|mob|office|orders|buy more|buy"
                  r"|verkauf|ventes|ventas|verkoop|vendite|sprzedaz|\bm(?=:)|\bt(?=:)|contact"
                  r"|ansprechpartner|reception|switchboard|comptabilite|facturation|facturacion"
                  r"|administratie|amministrazione"),
    (LetterTopic.PROVIDER, r"(?:internet[\s-]*)?(?:service[\s-]*)?(?:provider|supplier|carrier|isp|operator"
                     r"|anbieter|fournisseur|operateur|proveedor|operador|aanbieder|leverancier|fornitore"
                     r"|operatore|gestore|dostawca)(?:[\s-]*name)?"),
    (LetterTopic.HANDOFF, r"hand-?off|connection type|access type|service type|type of (?:connection|access)"
                    r"|how it connects|ip assignment|addressing|mode|protocol|connection|type|art|typ"
                    r"|einwahl|protocole|protocollo|tipo|modo|methode|protokol|soort|presentation|delivery"),
    (LetterTopic.UNTOLD, r"status|state|date|installation date|activation|product code|sn|serial|mac|item|value"
                   r"|field|parameter|wert|feld|last change|site|address line|postcode|street|created"
                   r"|updated|location|room"),
)  # fmt: skip


def _in_a_line(names: str) -> str:
    """A pattern whose blanks are not the end of a line."""
    return names.replace("[\\s", "[ \\t").replace("\\s", "[ \\t]")


_COMPILED = tuple((topic, re.compile(rf"(?<![\w@.])(?:{_in_a_line(names)})(?![\w@])")) for topic, names in LETTER_WORDS)


def words_in(text: str) -> Iterator[SaidWords]:
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
            yield SaidWords(topic, start, stop)


#: Topics whose words are ordinary ones: they name nothing where no value stands right beside them.
LOOSE = frozenset(
    {LetterTopic.UNTOLD, LetterTopic.HANDOFF, LetterTopic.PHONE, LetterTopic.PROVIDER, LetterTopic.UP, LetterTopic.DOWN}
)

_FILL = re.compile(
    r"[\W_\d]+|\b(?:the|your|our|a|an|of|for|and|de|la|le|du|der|die|das|ipv?4|ipv?6|wan|internet|new|id|no"
    r"|nr|mbit|mbps|mb|s|in|on|et|y|und|en|e|i|both|ambas|ambos|beide|beiden|both lines|les deux|entrambe"
    r"|oba|obu|all|lines?|fixed|static|primary|secondary|symmetrical)\b"
)


def labels(text: str) -> list[SaidWords]:
    """What a whole label speaks of, when nearly all of it is known words; empty: it is no label that is known."""
    plain = re.sub(r"\([^()]*\)", lambda found: " " * len(found[0]), text) + ":"
    said = list(words_in(plain))
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
    r"\bvlan\b(?:[\s-]*(?:tag|id))?(?:ging)?[^.;,:\n\d]{1,30}\b(?:not (?:needed|required|used|necessary)"
    r"|nicht|entfallt|niet|non (?:richiest\w+|necessari\w+)|pas (?:necessaire|requis|besoin)"
    r"|no (?:hace falta|se usa)|nie)\b|\b(?:un-?tagged|not tagged|no (?:vlan[\s-]*)?tags?|no vlans?"
    r"|without (?:an? )?(?:vlan|tag)|ungetaggt|ohne (?:vlan|tag)\w*|kein(?:e)? (?:vlan|tag)\w*|non tague"
    r"|pas de (?:vlan|tag|etiquette)|sans (?:vlan|etiquette|tag|etiquetage)"
    r"|sin (?:vlan|etiqueta|etiquetar)|geen (?:vlan|tag)|zonder (?:vlan|tag)|niet getagd|ongetagd"
    r"|nessuna? (?:vlan|tag|etichetta)|senza (?:vlan|etichetta|tag)|non taggat[ao]|bez (?:vlan|tagu"
    r"|znacznika|tagowania)|nieotagowany"
    r"|nietagowan\w*)\b"
)
#: An answer that there is no such thing.
SAYS_NOTHING = re.compile(
    r"^\W*(?:none|no|not? (?:used|needed|required|set|applicable)|n/?a|nil|un-?tagged|off|entfallt(?:\b.*)?"
    r"|keine?[rns]?|nicht (?:benotigt|erforderlich)|ungetaggt|ohne|zonder|senza|bez|aucune?|sans"
    r"|non(?: utilise)?|ningun[oa]?|sin"
    r"|no se usa|geen|niet nodig|nee|nessun[oa]?|brak|nie|nie dotyczy|native|-+|—)(?![\w-]).{0,25}$"
)
SAME = re.compile(
    r"^\W*(?:un-?changed|no change|same|as (?:before|is)|stays?|remains?|unverandert|bleibt(?: gleich)?"
    r"|wie bisher|gleich|inchangee?|identique|sin cambios?|igual|ongewijzigd|blijft(?: gelijk)?|invariat[oa]"
    r"|bez zmian|\"|=|idem)\W*$"
)
OLD = re.compile(
    r"\b(?:old|previous(?:ly)?|former(?:ly)?|until now|up to now|so far|current(?:ly)? until"
    r"|before the (?:move|change)|bisher(?:ige[rsn]?)?|alte?[rsn]?|vorher|bis jetzt|ancien(?:ne)?s?|avant"
    r"|jusqu'ici|jusqu'a present|actuel(?:le)?"
    r"|antigu[oa]s?|anterior(?:es)?|hasta ahora|oude?|vorige?|tot nu toe|vecchi[oaie]?|precedente|finora"
    r"|star[yae]|dotychczas(?:owy)?|poprzedni\w*)\b"
)
NEW = re.compile(
    r"\b(?:new|now|from (?:\w+ )?(?:tonight|now|then|tomorrow|monday|\d+)|as of|after|become?s?|changes? to"
    r"|replaced by|pasan? a ser|wird zu|werden zu|ersetzt durch|devien(?:t|nent)|remplace(?:e|s)? par|wordt"
    r"|worden|diventan?o?|sostituit[oi] da|staje sie|kunftig|neue?[rsn]?|ab (?:dem|sofort)|nouve(?:au|lle)s?"
    r"|apres|desormais|nuev[oa]s?|nieuwe?|voortaan|nuov[oaie]|dopo|now[yae]|od teraz|po zmianie)\b"
)
STRIKING = re.compile(
    r"(?:\bnot|\bignore|\band no longer|\binstead of|\breplac(?:es|ing)|\brather than|\bno longer"
    r"|\bnicht(?: mehr)?|\bstatt|\banstelle von|\bersetzt|\bau lieu de|\bremplace|\bet non|\bpas"
    r"|\ben lugar de|\bsustituye(?: a)?(?: la| el)?|\by no"
    r"|\bniet(?: meer)?|\bin plaats van|\bvervangt|\binvece di|\be non|\bsostituisce|\bzamiast|\ba nie|\bold"
    r"|\bprevious|\bformer|\bwas|\buntil now|\bbisher(?:ige)?|\bis no|\blike|\bexcept):?(?: the| address"
    r"| gateway| gw| ip| die| der| le| la| el| de| il)*[\s:('\"]*$"
)
STRUCK_BEHIND = re.compile(
    r"^[\s,()'\"-]*(?:was before|was the old|is (?:the )?(?:old|gone|wrong|dead)|was wrong|was a typo"
    r"|(?:will be|gets|is|was|are) (?:switched off|withdrawn|removed|retired|released|replaced)|ends|expires"
    r"|goes away|no longer"
    r"|dejan? de|fallt weg|wird abgeschaltet|entfallt|disparait|ne sera plus|vervalt|sara dismess|zostanie wylaczon)"
)
CORRECTION = re.compile(
    r"\b(?:sorry|correction|no wait|wait|actually|i mean(?:t)?|scrap that|typo|oops|my mistake|wrong one"
    r"|korrektur|pardon|perdon|scusa|przepraszam|make that|should be)\b"
)
AS_LAST = re.compile(
    r"\b(?:same as|identical(?: bar| except| but| to)?|as (?:last time|before)|like the (?:last|first|other)"
    r"|except(?: that)?|only difference|differs? only|bar the following|wie (?:beim letzten mal|zuletzt"
    r"|bisher)|bis auf|ausser|comme (?:la derniere fois|avant)|sauf|igual que|salvo|excepto|zelfde als"
    r"|behalve|come (?:l'ultima volta|prima)|tranne|eccetto|tak jak|oprocz)\b"
)

FIRST_LINE = (
    r"main|primary|first|principale?|haupt(?:leitung|anschluss)?|hauptzugang|hoofd(?:lijn"
    r"|verbinding)?|primaire|primar[ia]o?|glowne?y?|podstawow[ae]|(?:line|circuit|connection|access"
    r"|link|service|leitung|anschluss|zugang|ligne|acces|lien|linea|enlace|acceso|lijn|verbinding"
    r"|aansluiting|collegamento|accesso|linia|lacze) ?#?(?:1|a|one)|wan ?1|1st|a-?line"
)
SECOND_LINE = (
    r"back-?up|secondary|second|standby|fail-?over|fallback|reserve|resilien\w+|ersatz\w*"
    r"|zweit(?:leitung|anschluss)?|secours|secondaire|respaldo|secundari[ao]|reserve(?:lijn)?"
    r"|riserva|zapasow[ae]|rezerwow[ae]|(?:line|circuit|connection|access|link|service|leitung"
    r"|anschluss|zugang|ligne|acces|lien|linea|enlace|acceso|lijn|verbinding|aansluiting"
    r"|collegamento|accesso|linia|lacze) ?#?(?:2|b|two)|wan ?2|2nd|b-?line|spare"
)

#: Words of headings: what stands below them is not the hand-off.
OTHER_SERVICE = re.compile(
    r"\b(?:voice|voip|telephon\w*|telefon\w*|phones?|sip|management|mgmt|monitoring|tv|iptv|video|voz|voix"
    r"|spraak|voce|glos)\b"
)
INSIDE = re.compile(r"\b(?:lan|inside|customer lan|innen|interne?|public lan)\b(?! ?block)")

PPPOE = re.compile(r"\bpppo[ea]\b|\bppp\b|point-to-point protocol over")
DHCP = re.compile(
    r"\bdhcp\b|\bautomatic(?:ally)?\b|\bdynamic(?:ally)?\b|\bautomatisch\w*|\bdynamisch\w*"
    r"|\bautomatique(?:ment)?\b|\bdynamique\b|\bautomatic[oa](?:mente)?\b|\bdinamic[oa]\b|\bautomatycznie\b"
    r"|\bdynamiczn\w+|ipoe\b"
)
STATIC = re.compile(
    r"\bstatic\b|\bfixed\b|\bset by hand\b|\bfeste?r?\b|\bstatisch\w*|\bfixe\b|\bfij[oa]\b|\bestatic[oa]\b"
    r"|\bvaste?\b|\bstatico\b|\bfisso\b|\bstal[yae]\b|\bstatyczn\w+|\bpermanent\b"
)
CHANGING = re.compile(
    r"\b(?:dynamic|today|may change|changes?|can change|currently|at the moment|at present|derzeit|zurzeit"
    r"|wechselt|dynamisch\w*|actuellement|dynamique|changeante?|actualmente|dinamica|puede cambiar|momenteel"
    r"|wisselt|attualmente|dinamico|obecnie|zmienny|from outside|shared|on the modem|on the box|auf der box"
    r"|op de modem|sur le modem|en el modem|sul modem|na modemie|der box|appear)\b"
)
BRIDGED = re.compile(r"\bbridged?\b(?! mode is not| is not)|\bbrucke\b|\bpont\b|\bpuente\b")

NETWORK_TRADE = re.compile(
    r"\b(?:networks?|telecom\w*|telekom\w*|broadband|internet|net|online|communications?|carriers?|access"
    r"|connect|cable|fib(?:re|er)|lines?|digital|data|datanet\w*|datennetze?|breitband|glasfaser|netz\w*"
    r"|kabel\w*|comunicaciones|telecomunicacion\w+"
    r"|servizi di rete|rete|reti|reseaux?|telco|connectivity|hosting|wireless|link|links|isp|netwerk\w*"
    r"|glasvezel|siec\w*|lacza|telekomunikacja|swiatlowod\w*|provider|services?|business lines|business net"
    r"|company|telephone|wan|ethernet|metro|com|fibra|fibre|optique|optic\w*)\b|\w(?:net|telecom|telekom"
    r"|netze|link|line|fiber|fibre|kabel|com)\b"
)
COMPANY_FORM = re.compile(
    r"\b(?:ltd|limited|plc|llp|inc|gmbh(?: & co\.? kg)?|ag|kg|s\.?a\.?(?:r\.?l\.?|s\.?)?|s\.?l\.?|b\.?v\.?"
    r"|n\.?v\.?|s\.?r\.?l\.?|s\.?p\.?a\.?|sp\. z o\.?o\.?|llc|co\.?)(?=\W|$)"
)
