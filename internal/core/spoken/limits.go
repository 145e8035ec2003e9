package spoken

import (
	"diadrom/internal/core/quote"
	"diadrom/internal/core/rate"
)

// overIn and underIn are [over] and [under] in the other languages.
var (
	overIn = map[rate.By][5]string{
		rate.ByWeight: {"liian painava", "för tungt", "zu schwer", "trop lourd", "demasiado pesado"},
		rate.ByBilled: {"tilavuudeltaan liian painava", "för tungt räknat på volymen", "nach dem Volumen zu schwer",
			"trop lourd d’après le volume", "demasiado pesado por su volumen"},
		rate.BySubtotal: {"tilauksen arvo on liian suuri", "beställningens värde är för högt", "Bestellwert zu hoch",
			"montant de la commande trop élevé", "importe del pedido demasiado alto"},
		rate.ByQuantity: {
			"liian monta tuotetta",
			"för många varor",
			"zu viele Artikel",
			"trop d’articles",
			"demasiados artículos",
		},
		rate.ByDistance: {"liian kaukana", "för långt bort", "zu weit entfernt", "trop loin", "demasiado lejos"},
		quote.ParcelWeight: {"yksi paketeista on liian painava", "ett paket är för tungt", "ein Paket ist zu schwer",
			"un colis est trop lourd", "un paquete es demasiado pesado"},
		quote.GirthMeasure: {"yksi paketeista on liian suuri", "ett paket är för stort", "ein Paket ist zu groß",
			"un colis est trop grand", "un paquete es demasiado grande"},
		quote.LongestSide: {"liian pitkä", "för långt", "zu lang", "trop long", "demasiado largo"},
	}
	underIn = map[rate.By][5]string{
		rate.ByWeight: {"liian kevyt", "för lätt", "zu leicht", "trop léger", "demasiado ligero"},
		rate.ByBilled: {"liian kevyt", "för lätt", "zu leicht", "trop léger", "demasiado ligero"},
		rate.BySubtotal: {"tilauksen arvo on liian pieni", "beställningens värde är för lågt", "Bestellwert zu niedrig",
			"montant de la commande trop faible", "importe del pedido demasiado bajo"},
		rate.ByQuantity: {"liian vähän tuotteita", "för få varor", "zu wenige Artikel", "pas assez d’articles",
			"muy pocos artículos"},
		rate.ByDistance: {"liian lähellä", "för nära", "zu nah", "trop près", "demasiado cerca"},
		quote.ParcelWeight: {"yksi paketeista on liian kevyt", "ett paket är för lätt", "ein Paket ist zu leicht",
			"un colis est trop léger", "un paquete es demasiado ligero"},
		quote.GirthMeasure: {"yksi paketeista on liian pieni", "ett paket är för litet", "ein Paket ist zu klein",
			"un colis est trop petit", "un paquete es demasiado pequeño"},
		quote.LongestSide: {"liian lyhyt", "för kort", "zu kurz", "trop court", "demasiado corto"},
	}
)
