// Package heads has the words that head the columns of lists, in English, German, French, Spanish, Finnish and Swedish.
//
// It is the only dictionary of headings. Each reader of lists says which of its fields a concept stands for, because
// the same word heads different things: "name" is that of a product, of a zone or of a customer. The words are common
// practice, no source.
package heads

import (
	"fmt"
	"regexp"
	"slices"
	"strings"

	"diadrom/internal/core/world"
)

// Concept is what a heading means, whichever list it is in.
type Concept string

// The concepts.
const (
	Zone     Concept = "zone"
	Place    Concept = "place"
	Country  Concept = "country"
	Region   Concept = "region"
	City     Concept = "city"
	Postcode Concept = "postcode"
	Codes    Concept = "codes" // ranges and beginnings of postcodes
	Street   Concept = "street"
	Currency Concept = "currency"

	Price         Concept = "price"          // of goods or of delivery
	UnitPrice     Concept = "unit price"     // of goods
	DeliveryPrice Concept = "delivery price" // of delivery in a rate list
	SKU           Concept = "sku"
	Code          Concept = "code" // a number or a code of a product, where the list is one of products
	OrderNumber   Concept = "order number"
	Article       Concept = "article" // a product, by its name or its SKU
	ProductName   Concept = "product name"
	Weight        Concept = "weight"
	Length        Concept = "length"
	Width         Concept = "width"
	Height        Concept = "height"
	Size          Concept = "size"
	Variant       Concept = "variant"
	Class         Concept = "class"
	NeedsShipping Concept = "needs shipping"
	ShipsFree     Concept = "ships free"
	OwnParcel     Concept = "own parcel"
	Upright       Concept = "upright"
	Warehouse     Concept = "warehouse"

	Order     Concept = "order"
	Name      Concept = "name" // of whatever the list is of
	Date      Concept = "date"
	Quantity  Concept = "quantity"
	Customer  Concept = "customer"
	Group     Concept = "group" // of customers
	Coupon    Concept = "coupon"
	Method    Concept = "method"
	Paid      Concept = "paid" // by the buyer for delivery
	Cost      Concept = "cost" // billed by the carrier
	Tracking  Concept = "tracking"
	Status    Concept = "status" // of an order
	Company   Concept = "company"
	FirstName Concept = "first name"
	LastName  Concept = "last name"
	Street2   Concept = "second line of a street"
	HouseNo   Concept = "house number"

	WeightUnit Concept = "unit of weight"
	LengthUnit Concept = "unit of length"

	OrderValue  Concept = "order value"  // of the goods of an order
	TotalWeight Concept = "total weight" // of the goods of an order
	ItemCount   Concept = "item count"   // of an order
	Cancelled   Concept = "cancelled"
)

var words = map[Concept][]string{
	Zone: {"zone", "zones", "area", "zone name", "delivery zone", "shipping zone", "zona", "zonas", "zonen", "gebiet",
		"liefergebiet", "vyohyke", "alue", "zon", "omrade", "tariff zone", "tarifzone", "zone no", "zone number",
		"zone nr", "group"},
	Place: {"destination", "destinations", "destino", "kohde", "ziel", "zielgebiet", "place", "places", "orte",
		"lieu", "lugar", "paikka", "plats"},
	Country: {"country", "country code", "countries", "to country", "destination country", "country name", "land",
		"lander", "zielland", "bestimmungsland", "landercode", "pays", "code pays", "pays de destination", "pais",
		"paises", "maa", "maat", "kohdemaa", "maakoodi", "landkod", "lander countries", "iso", "iso code",
		"shipping country", "delivery country", "ship to country", "leveransland", "lieferland", "landcode",
		"landerkurzel", "pays de livraison", "pais de envio", "toimitusmaa", "shipping country code"},
	Region: {"region", "regions", "states", "provinces", "counties", "bundeslander", "departements", "provincias", "state", "province", "county", "bundesland", "kanton", "departement", "provincia", "maakunta",
		"lan", "landskap", "state province", "shipping province", "shipping state", "shipping region",
		"island"},
	City: {"city", "town", "ort", "stadt", "ville", "ciudad", "poblacion", "kaupunki", "kunta", "stad",
		"postitoimipaikka", "shipping city", "delivery city", "localite", "localidad", "postort", "wohnort",
		"post town"},
	Postcode: {"postcode", "postal code", "post code", "zip", "zip code", "postcodes", "postal codes", "zip codes",
		"zip postal code", "plz", "postleitzahl", "postleitzahlen", "code postal", "codes postaux", "codigo postal",
		"cp", "codigos postales", "postinumero", "postinumerot", "postnummer", "postnr", "shipping zip",
		"delivery postcode", "shipping postcode", "shipping postal code", "shipping zip code", "postal"},
	Codes: {"codes", "zip3", "zip 3", "3 digit zip", "zip prefix", "postcode prefix", "plz2", "plz 2", "postcode range",
		"postcode from to", "plz gebiet", "plz bereich", "prefix", "prefixes", "plz von bis", "zip from to",
		"zip code range", "zip range", "postcode ranges", "plz bereiche"},
	Street: {"street", "address", "shipping street", "shipping address", "address 1", "address line 1", "osoite",
		"katuosoite", "lahiosoite", "adress", "gatuadress", "gata", "strasse", "adresse", "anschrift", "rue",
		"adresse 1", "direccion", "calle", "domicilio", "katu", "street address", "shipping address1",
		"shipping address 1", "address1", "strasse und hausnummer", "strasse hausnummer", "strasse nr"},
	Street2: {"address 2", "address2", "address line 2", "adresse 2", "adresszusatz", "zusatz", "complement",
		"complement d adresse", "direccion 2", "shipping address2", "shipping address 2", "street 2"},
	HouseNo:  {"house number", "hausnummer", "hausnr", "haus nr", "house no", "talonumero", "husnummer"},
	Currency: {"currency", "wahrung", "devise", "monnaie", "moneda", "valuutta", "valuta", "currency code"},
	Price:    {"price", "preis", "prix", "precio", "hinta", "pris", "net price", "nettopreis"},
	UnitPrice: {"unit price", "sales price", "retail price", "gross price", "selling price", "regular price",
		"item price", "lineitem price", "line item price", "verkaufspreis", "vk preis", "vk", "stuckpreis",
		"bruttopreis", "einzelpreis", "prix de vente", "prix unitaire", "precio de venta", "precio unitario", "pvp",
		"myyntihinta", "kappalehinta", "yksikkohinta", "a hinta", "forsaljningspris", "styckpris", "a pris"},
	DeliveryPrice: {"rate", "cost", "charge", "shipping price", "shipping cost", "fee", "amount", "tariff",
		"price per parcel", "price parcel", "per parcel", "preis pro paket", "betrag", "porto", "versandkosten",
		"entgelt", "kosten", "prix ht", "tarif", "tarifs", "montant", "tarifa", "importe", "coste", "hinta alv 0",
		"maksu", "toimitusmaksu", "avgift", "frakt", "fraktpris", "base price", "basic price", "base rate",
		"grundpreis", "base", "rates", "costs", "shipping", "delivery", "postage", "freight", "delivery charge",
		"delivery fee", "delivery price", "delivery cost", "shipping fee", "shipping charge", "shipping rate",
		"freight charge", "versand", "versandpreis", "lieferkosten", "frais de port", "frais de livraison", "livraison",
		"envio", "gastos de envio", "toimituskulu", "toimituskulut", "postikulu", "fraktkostnad", "porto frakt"},
	SKU: {"sku", "sku code", "item sku", "product sku", "lineitem sku", "line item sku", "article", "article number",
		"article no", "item number", "item no", "item", "product code", "product number", "stock keeping unit",
		"variant sku", "artikelnummer", "artikelnr", "artikel nr", "art nr", "produktnummer", "produktcode",
		"reference", "reference produit", "code article", "code produit", "referencia", "codigo de producto",
		"tuotenumero", "tuotekoodi", "tuotenro", "artikkelinumero", "produktkod", "artikelkod", "varunummer"},
	Code:        {"code", "ref", "codigo", "cod", "koodi"},
	OrderNumber: {"bestellnummer", "bestell nr"},
	Article:     {"product", "artikel", "produkt", "produit", "producto", "articulo", "tuote"},
	ProductName: {"title", "product name", "description", "bezeichnung", "produktname", "artikelbezeichnung", "titel",
		"beschreibung", "nom du produit", "designation", "libelle", "titre", "descripcion", "nombre del producto",
		"titulo", "tuotenimi", "nimike", "tuotteen nimi", "kuvaus", "benamning", "produktnamn", "artikelnamn",
		"beskrivning"},
	Name: {"name", "nom", "nombre", "nimi", "namn"},
	Weight: {"weight", "unit weight", "gross weight", "shipping weight", "net weight", "item weight", "product weight",
		"package weight", "packed weight", "paketgewicht",
		"gewicht", "bruttogewicht", "versandgewicht", "stuckgewicht", "poids", "poids brut", "poids unitaire", "peso",
		"peso bruto", "peso unitario", "paino", "bruttopaino", "yksikkopaino", "vikt", "bruttovikt", "styckvikt",
		"mass", "masse kg", "grams", "gram", "kilograms", "kilos", "gramm", "grammes"},
	Length: {"package length", "product length", "length", "depth", "l", "lange", "tiefe", "longueur", "profondeur", "largo", "longitud", "profundidad",
		"fondo", "pituus", "syvyys", "langd", "djup"},
	Width:  {"package width", "product width", "width", "breadth", "b", "w", "breite", "largeur", "ancho", "anchura", "leveys", "bredd"},
	Height: {"package height", "product height", "height", "h", "hohe", "hauteur", "alto", "altura", "korkeus", "hojd"},
	Size: {"dimensions", "size", "sizes", "package dimensions", "l x w x h", "lxwxh", "lxbxh", "l x b x h", "l x l x h",
		"p x l x k", "b x h x t", "masse", "abmessungen", "grosse", "paketmasse", "dimension", "taille", "format",
		"lxlxh", "medidas", "dimensiones", "tamano", "mitat", "koko", "pxlxk", "matt", "storlek", "dimensioner",
		"bxhxd", "measurements"},
	Variant: {"variant", "variants", "variant title", "variant name", "option", "options", "option1 value", "colour",
		"color", "variante", "varianten", "ausfuhrung", "farbe", "variantes", "couleur", "opcion", "talla", "variantti",
		"vari", "versio", "farg", "utforande"},
	Class: {"class", "shipping class", "delivery class", "versandklasse", "klasse", "classe", "classe d expedition",
		"classe de livraison", "clase", "clase de envio", "toimitusluokka", "luokka", "fraktklass", "klass"},
	NeedsShipping: {"needs shipping", "shipping", "shippable", "physical", "requires shipping", "versandpflichtig",
		"versand", "wird versendet", "a expedier", "expedition", "requiere envio", "envio", "toimitetaan", "lahetetaan",
		"fysisk", "fraktas", "skickas"},
	ShipsFree: {"ships free", "free shipping", "versandkostenfrei", "versandfrei", "livraison gratuite", "port offert",
		"envio gratis", "ilmainen toimitus", "toimitus ilmainen", "fraktfritt", "fraktfri", "fri frakt"},
	OwnParcel: {"own parcel", "separate parcel", "eigenes paket", "einzelpaket", "colis separe", "colis a part",
		"paquete propio", "paquete aparte", "oma paketti", "eget paket", "separat paket"},
	Upright: {"upright", "stays upright", "this way up", "stehend", "aufrecht", "debout", "vertical", "pystyssa",
		"pystyasennossa", "staende", "upprat"},
	Warehouse: {"from", "leaves from", "ships from", "warehouse", "lager", "lagerort", "versand ab", "entrepot", "depot",
		"expedie de", "almacen", "origen", "varasto", "lahetyspaikka", "lagerplats", "skickas fran"},
	Order: {"order", "order no", "order number", "order id", "order name", "number", "tilaus", "tilausnumero",
		"tilausnro", "ordernummer", "order nr", "ordernr", "bestellung", "bestell id", "auftrag", "auftragsnummer",
		"auftrags nr", "commande", "no commande", "n commande", "numero de commande", "reference commande", "pedido",
		"numero de pedido", "n pedido", "no pedido"},
	Date: {"at", "date", "placed", "order date", "created at", "created", "paid at", "ordered", "purchase date",
		"tilauspaiva", "paivays", "paivamaara", "pvm", "tilauspvm", "datum", "orderdatum", "bestelldatum",
		"auftragsdatum", "date de commande", "fecha", "fecha de pedido", "fecha del pedido"},
	Quantity: {"quantity", "qty", "lineitem quantity", "line item quantity", "amount ordered", "pieces", "count", "maara",
		"kpl", "antal", "menge", "anzahl", "stuck", "quantite", "qte", "cantidad", "unidades"},
	Customer: {"customer", "customer id", "customer no", "customer number", "asiakas", "asiakasnumero", "kund",
		"kundnummer", "kundennummer", "kunde", "kunden nr", "client", "numero client", "code client", "cliente",
		"numero de cliente"},
	Group: {"customer group", "asiakasryhma", "kundgrupp", "kundengruppe", "groupe de clients", "groupe client",
		"grupo de clientes"},
	Coupon: {"coupon", "discount code", "coupon code", "voucher", "kuponki", "alennuskoodi", "rabattkod", "gutschein",
		"gutscheincode", "code promo", "cupon", "codigo de descuento"},
	Method: {"method", "shipping method", "delivery method", "delivery", "shipping", "toimitustapa", "leveranssatt",
		"frakt", "fraktsatt", "versandart", "versand", "livraison", "mode de livraison", "envio", "metodo de envio",
		"forma de envio"},
	Paid: {"paid", "shipping paid", "shipping price", "shipping charge", "shipping total", "shipping amount",
		"delivery charge", "delivery price", "freight paid", "toimituskulu", "toimituskulut", "rahti", "fraktkostnad",
		"versandkosten", "frais de port", "frais de livraison", "gastos de envio"},
	Cost: {"cost", "shipping cost", "carrier cost", "freight cost", "billed", "postage", "rahtikulu", "kulu", "kostnad",
		"kosten", "cout", "coste", "charge", "net", "net amount", "amount", "sum", "summa", "betrag", "total"},
	Tracking: {"tracking", "tracking number", "tracking no", "parcel number", "shipment", "shipment number",
		"consignment", "seurantakoodi", "kolli", "kollinummer", "sendungsnummer", "numero de suivi",
		"numero de seguimiento"},
	Status: {"status", "state of order", "order status", "financial status", "payment status", "bestellstatus", "statut",
		"estado", "estado del pedido", "tila", "tilauksen tila", "orderstatus"},
	WeightUnit: {"weight unit", "unit of weight", "weight uom", "variant weight unit", "weight units", "gewichtseinheit",
		"unite de poids", "unidad de peso", "painoyksikko", "painon yksikko", "viktenhet"},
	LengthUnit: {"dimension unit", "dimensions unit", "size unit", "length unit", "unit of length", "dimension uom",
		"masseinheit", "langeneinheit", "unite de longueur", "unidad de longitud", "mittayksikko", "langdenhet"},
	OrderValue: {"order value", "goods value", "value of goods", "subtotal", "sub total", "goods total", "items total",
		"products total", "cart value", "cart total", "warenwert", "bestellwert", "zwischensumme", "sous total",
		"valeur des articles", "valor del pedido", "ordervarde", "varukorg", "delsumma", "valisumma", "tilauksen arvo",
		"ostosten arvo"},
	TotalWeight: {"total weight", "order weight", "weight total", "weight of the order", "shipment weight", "parcel weight",
		"package weight", "gesamtgewicht", "bestellgewicht", "poids total", "peso total", "kokonaispaino", "totalvikt"},
	ItemCount: {"items", "number of items", "item count", "items count", "no of items", "total items", "total quantity",
		"number of articles", "anzahl artikel", "artikelanzahl", "anzahl positionen", "nombre d articles",
		"numero de articulos", "tuotteita", "tuotemaara", "antal artiklar", "antal varor"},
	Cancelled: {"cancelled at", "canceled at", "cancelled", "canceled", "storniert am", "storniert", "annule le",
		"cancelado", "peruttu", "avbruten"},
	Company: {"company", "firma", "firmenname", "entreprise", "societe", "empresa", "razon social", "yritys", "foretag",
		"organisation", "organization"},
	FirstName: {"first name", "vorname", "prenom", "etunimi", "fornamn", "given name", "forename"},
	LastName: {"last name", "nachname", "nom de famille", "sukunimi", "efternamn", "surname", "family name", "apellido",
		"apellidos"},
}

// Words lists the headings of concepts, folded by [Fold].
func Words(concepts ...Concept) (list []string) {
	for _, c := range concepts {
		list = append(list, words[c]...)
	}
	return list
}

// Fields is the vocabulary of a reader: its fields by the headings of their concepts. It panics where a heading would
// be that of two fields, which is a mistake of the program.
func Fields[F ~string](of map[F][]Concept) map[string]F {
	fields := map[string]F{}
	for field, concepts := range of {
		for _, word := range Words(concepts...) {
			if other, twice := fields[word]; twice && other != field {
				panic(fmt.Sprintf("heads: %q is %s and %s", word, field, other))
			}
			fields[word] = field
		}
	}
	return fields
}

var notWords = regexp.MustCompile(`[^\p{L}\p{N}]+`)

// Fold is a heading as the dictionary has it: in small letters without accents, with one space for whatever parts words.
func Fold(heading string) string {
	return strings.TrimSpace(notWords.ReplaceAllString(world.Fold(heading), " "))
}

// Is says whether a heading is a word for a concept.
func Is(heading string, c Concept) bool { return slices.Contains(words[c], Fold(heading)) }
