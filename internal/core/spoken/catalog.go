package spoken

import (
	"golang.org/x/text/language"
	"golang.org/x/text/message/catalog"
)

// sentences are the program's own to buyers. The key is the English sentence.
var sentences = func() catalog.Catalog {
	b := catalog.NewBuilder(catalog.Fallback(language.English))
	tags := Languages[1:]
	for key, in := range translations {
		for i, tag := range tags {
			if err := b.SetString(tag, key, in[i]); err != nil {
				panic(err) // of a sentence that is written here
			}
		}
	}
	for i, tag := range tags {
		for by, key := range over {
			if err := b.SetString(tag, key+" for %s (%s, limit %s)", overIn[by][i]+limitIn[i]); err != nil {
				panic(err)
			}
		}
		for by, key := range under {
			if err := b.SetString(tag, key+" for %s (%s, minimum %s)", underIn[by][i]+minimumIn[i]); err != nil {
				panic(err)
			}
		}
	}
	return b
}()

// translations are in Finnish, Swedish, German, French and Spanish, as all lists of this file.
var translations = map[string][5]string{
	"%s is not available for this order at this address": {
		"%s ei ole saatavilla tälle tilaukselle tähän osoitteeseen",
		"%s är inte tillgängligt för denna beställning till denna adress",
		"%s ist für diese Bestellung an diese Adresse nicht verfügbar",
		"%s n’est pas disponible pour cette commande à cette adresse",
		"%s no está disponible para este pedido en esta dirección",
	},
	"%s is available only from %s to %s": {
		"%s on saatavilla vain %s – %s", "%s är tillgängligt endast från %s till %s", "%s ist nur vom %s bis zum %s verfügbar",
		"%s n’est disponible que du %s au %s", "%s solo está disponible del %s al %s",
	},
	"%s is available only until %s": {
		"%s on saatavilla vain %s asti", "%s är tillgängligt endast till och med %s", "%s ist nur bis zum %s verfügbar",
		"%s n’est disponible que jusqu’au %s", "%s solo está disponible hasta el %s",
	},
	"%s is available only from %s": {
		"%s on saatavilla vain %s alkaen", "%s är tillgängligt först från %s", "%s ist erst ab dem %s verfügbar",
		"%s n’est disponible qu’à partir du %s", "%s solo está disponible a partir del %s",
	},
	"%s needs a coupon": {
		"%s vaatii kuponkikoodin", "%s kräver en rabattkod", "%s ist nur mit einem Gutscheincode verfügbar",
		"%s nécessite un code promo", "%s requiere un cupón",
	},
	"%s is for other customers": {
		"%s on tarkoitettu muille asiakkaille", "%s är för andra kunder", "%s ist anderen Kunden vorbehalten",
		"%s est réservé à d’autres clients", "%s está reservado a otros clientes",
	},
	"%s does not take all of these goods": {
		"%s ei sovi kaikille näille tuotteille", "%s tar inte alla dessa varor", "%s nimmt nicht alle diese Artikel mit",
		"%s n’accepte pas tous ces articles", "%s no admite todos estos artículos",
	},
	"we do not know how far this address is for %s": {
		"emme tiedä, kuinka kaukana tämä osoite on: %s", "vi vet inte hur långt bort denna adress är för %s",
		"wir wissen nicht, wie weit diese Adresse für %s entfernt ist", "nous ne savons pas à quelle distance se trouve cette adresse pour %s",
		"no sabemos a qué distancia está esta dirección para %s",
	},
	"%s is not available at the moment": {
		"%s ei ole juuri nyt saatavilla", "%s är inte tillgängligt just nu", "%s ist zurzeit nicht verfügbar",
		"%s n’est pas disponible pour le moment", "%s no está disponible en este momento",
	},
	"We cannot deliver to %s: no delivery method is available at the moment.": {
		"Emme voi toimittaa osoitteeseen %s: mikään toimitustapa ei ole juuri nyt saatavilla.",
		"Vi kan inte leverera till %s: inget leveranssätt är tillgängligt just nu.",
		"Wir können nicht liefern an %s: zurzeit ist keine Lieferart verfügbar.",
		"Nous ne pouvons pas livrer à l’adresse %s : aucun mode de livraison n’est disponible pour le moment.",
		"No podemos entregar en %s: no hay ningún modo de entrega disponible en este momento.",
	},
	"We cannot deliver this order to %s: %s": {
		"Emme voi toimittaa tätä tilausta osoitteeseen %s: %s", "Vi kan inte leverera denna beställning till %s: %s",
		"Wir können diese Bestellung nicht liefern an %s: %s", "Nous ne pouvons pas livrer cette commande à l’adresse %s : %s",
		"No podemos entregar este pedido en %s: %s",
	},
	"We cannot deliver this order to %s: %s.": {
		"Emme voi toimittaa tätä tilausta osoitteeseen %s: %s.", "Vi kan inte leverera denna beställning till %s: %s.",
		"Wir können diese Bestellung nicht liefern an %s: %s.", "Nous ne pouvons pas livrer cette commande à l’adresse %s : %s.",
		"No podemos entregar este pedido en %s: %s.",
	},
	"We do not deliver to %s.": {
		"Emme toimita osoitteeseen %s.", "Vi levererar inte till %s.", "Wir liefern nicht an %s.",
		"Nous ne livrons pas à l’adresse %s.", "No entregamos en %s.",
	},
	"Spend %s more for free delivery": {
		"Osta vielä %s edestä, niin toimitus on ilmainen", "Handla för %s till för fri leverans", "Noch %s bis zur kostenlosen Lieferung",
		"Plus que %s pour la livraison gratuite", "Gaste %s más y la entrega es gratis",
	},
	"Add %s for free delivery": {
		"Lisää vielä %s, niin toimitus on ilmainen", "Lägg till %s för fri leverans", "Noch %s bis zur kostenlosen Lieferung",
		"Ajoutez %s pour la livraison gratuite", "Añada %s y la entrega es gratis",
	},
	"Spend %s more and add %s for free delivery": {
		"Osta vielä %s edestä ja lisää %s, niin toimitus on ilmainen", "Handla för %s till och lägg till %s för fri leverans",
		"Noch %s und %s bis zur kostenlosen Lieferung", "Plus que %s et %s pour la livraison gratuite",
		"Gaste %s más y añada %s, y la entrega es gratis",
	},
	"Spend %s more or add %s for free delivery": {
		"Osta vielä %s edestä tai lisää %s, niin toimitus on ilmainen", "Handla för %s till eller lägg till %s för fri leverans",
		"Noch %s oder %s bis zur kostenlosen Lieferung", "Plus que %s ou %s pour la livraison gratuite",
		"Gaste %s más o añada %s, y la entrega es gratis",
	},
	"%s item":  {"%s tuote", "%s vara", "%s Artikel", "%s article", "%s artículo"},
	"%s items": {"%s tuotetta", "%s varor", "%s Artikel", "%s articles", "%s artículos"},
	"This cannot be a postcode of %s": {
		"Tämä ei voi olla postinumero maassa %s", "Detta kan inte vara ett postnummer i %s", "Das kann keine Postleitzahl sein in: %s",
		"Ce ne peut pas être un code postal de ce pays : %s", "No puede ser un código postal de este país: %s",
	},
	"%s has no such region": {
		"Tällaista aluetta ei ole maassa %s", "%s har ingen sådan region", "Diese Region gibt es dort nicht: %s",
		"Cette région n’existe pas dans ce pays : %s", "No existe esa región en este país: %s",
	},
}

// limitIn and minimumIn follow what an order is too much or too little of: label, what it has, the limit.
var (
	limitIn = [5]string{
		": %s (%s, enintään %s)",
		" för %s (%s, högst %s)",
		" für %s (%s, höchstens %s)",
		" pour %s (%s, maximum %s)",
		" para %s (%s, máximo %s)",
	}
	minimumIn = [5]string{": %s (%s, vähintään %s)", " för %s (%s, minst %s)", " für %s (%s, mindestens %s)",
		" pour %s (%s, minimum %s)", " para %s (%s, mínimo %s)"}
)
