package productlist

import "slices"

// heads are the folded heads, without units, that stand for a field, in the languages of the lists that are read
// (English, German, French, Spanish, Finnish, Swedish); common practice, no source.
var heads = map[string]Field{}

func init() {
	for field, names := range map[Field][]string{
		SKU: {"sku", "sku code", "article", "article number", "article no", "item number", "item no", "item",
			"product code", "code", "product number", "stock keeping unit", "variant sku", "artikelnummer", "artikelnr",
			"artikel nr", "art nr", "bestellnummer", "bestell nr", "produktnummer", "produktcode", "reference", "ref",
			"reference produit", "code article", "code produit", "codigo", "referencia", "codigo de producto", "cod",
			"tuotenumero", "tuotekoodi", "tuotenro", "koodi", "artikkelinumero", "produktkod", "artikelkod",
			"varunummer"},
		Name: {"name", "title", "product", "product name", "description", "bezeichnung", "produktname",
			"artikelbezeichnung", "titel", "artikel", "produkt", "beschreibung", "nom", "nom du produit", "designation",
			"libelle", "produit", "titre", "nombre", "producto", "descripcion", "nombre del producto", "titulo",
			"articulo", "nimi", "tuote", "tuotenimi", "nimike", "tuotteen nimi", "kuvaus", "benamning", "namn",
			"produktnamn",
			"artikelnamn", "beskrivning"},
		Price: {"price", "unit price", "sales price", "net price", "retail price", "gross price", "selling price",
			"regular price", "preis", "verkaufspreis", "vk preis", "vk", "stuckpreis", "bruttopreis", "nettopreis",
			"einzelpreis", "prix", "prix de vente", "prix unitaire", "precio", "precio de venta", "pvp", "hinta",
			"myyntihinta", "kappalehinta", "yksikkohinta", "pris", "forsaljningspris", "styckpris"},
		Weight: {"weight", "unit weight", "gross weight", "shipping weight", "net weight", "item weight",
			"product weight", "gewicht", "bruttogewicht", "versandgewicht", "stuckgewicht", "poids", "poids brut",
			"poids unitaire", "peso", "peso bruto", "peso unitario", "paino", "bruttopaino", "yksikkopaino", "vikt",
			"bruttovikt", "styckvikt", "mass", "masse kg", "grams", "gram", "kilograms", "kilos", "gramm", "grammes"},
		Length: {"length", "depth", "l", "lange", "tiefe", "longueur", "profondeur", "largo", "longitud", "profundidad",
			"fondo", "pituus", "syvyys", "langd", "djup"},
		Width:  {"width", "breadth", "b", "w", "breite", "largeur", "ancho", "anchura", "leveys", "bredd"},
		Height: {"height", "h", "hohe", "hauteur", "alto", "altura", "korkeus", "hojd"},
		Size: {"dimensions", "size", "sizes", "package dimensions", "l x w x h", "lxwxh", "lxbxh", "l x b x h",
			"l x l x h", "p x l x k", "b x h x t",
			"masse", "abmessungen", "grosse", "paketmasse", "dimension", "taille", "format", "lxlxh", "medidas",
			"dimensiones", "tamano", "mitat", "koko", "pxlxk", "matt", "storlek", "dimensioner", "bxhxd",
			"measurements"},
		Variant: {"variant", "variants", "variant title", "variant name", "option", "options", "option1 value",
			"colour", "color", "variante", "varianten", "ausfuhrung", "farbe", "variantes", "couleur", "opcion",
			"talla",
			"variantti", "vari", "versio", "farg", "utforande"},
		Class: {"class", "shipping class", "delivery class", "versandklasse", "klasse", "classe", "classe d expedition",
			"classe de livraison", "clase", "clase de envio", "toimitusluokka", "luokka", "fraktklass", "klass"},
		NeedsShipping: {"needs shipping", "shipping", "shippable", "physical", "requires shipping", "versandpflichtig",
			"versand", "wird versendet", "a expedier", "expedition", "requiere envio", "envio", "toimitetaan",
			"lahetetaan", "fysisk", "fraktas", "skickas"},
		ShipsFree: {"ships free", "free shipping", "versandkostenfrei", "versandfrei", "livraison gratuite",
			"port offert",
			"envio gratis", "ilmainen toimitus", "toimitus ilmainen", "fraktfritt", "fraktfri", "fri frakt"},
		OwnParcel: {"own parcel", "separate parcel", "eigenes paket", "einzelpaket", "colis separe", "colis a part",
			"paquete propio", "paquete aparte", "oma paketti", "eget paket", "separat paket"},
		Upright: {"upright", "stays upright", "this way up", "stehend", "aufrecht", "debout", "vertical", "pystyssa",
			"pystyasennossa", "staende", "upprat"},
		From: {"from", "leaves from", "ships from", "warehouse", "lager", "lagerort", "versand ab", "entrepot", "depot",
			"expedie de", "almacen", "origen", "varasto", "lahetyspaikka", "lagerplats", "skickas fran"},
	} {
		for _, name := range names {
			heads[name] = field
		}
	}
}

// besides are words beside the name of a column that do not change what it holds.
var besides = []string{"excl", "incl", "excluding", "including", "ex", "inc", "exkl", "inkl", "zzgl", "vat", "tax",
	"mwst",
	"ust", "tva", "ht", "ttc", "iva", "alv", "moms", "netto", "brutto", "net", "0", "sin", "con", "hors", "veroton",
	"verollinen", "sis", "euro", "per", "piece", "stuck", "unit", "lxbxh", "lxwxh", "l", "b", "w", "h", "x", "lxlxh",
	"pxlxk",
	"variant", "each"}

// The words for yes and no in the languages of the lists, folded.
var (
	yesWords = []string{"yes", "y", "true", "1", "x", "on", "ja", "j", "wahr", "oui", "vrai", "si", "verdadero",
		"kylla", "tosi", "sant", "✓", "✔", "☑"}
	noWords = []string{"no", "n", "false", "0", "-", "–", "off", "nein", "falsch", "non", "faux", "falso", "ei",
		"epatosi", "nej", "falskt", "✗", "✘", "☐"}
)

func isYes(folded string) bool { return slices.Contains(yesWords, folded) }
func isNo(folded string) bool  { return slices.Contains(noWords, folded) }
