package ratelist

import (
	"strings"
	"testing"

	"diadrom/internal/test/storetest"

	"github.com/stretchr/testify/assert"
)

// Lists as carriers and shops hand them round, each with the table that a careful person would type from it, the zones
// that are new, and what has to be asked; common practice, no source.
func TestListsThatPeopleSend(t *testing.T) {
	for _, c := range []struct {
		name, list, want, zones, asks string
		refused                       int
	}{
		{name: "zones by number, key beneath",
			list: "Weight (kg);Zone 1;Zone 2\n2;12,50;15,00\n10;18,00;22,00\n\nZone;Countries\n" +
				"Zone 1;Estonia, Latvia, Lithuania\nZone 2;Sweden, Norway\n",
			want:  "zone-1 zone-2 | 2 12.50 15.00 | 10 18.00 22.00",
			zones: "Zone 1=Estonia|Latvia|Lithuania; Zone 2=Norway|Sweden"},
		{name: "zones by number, key beside",
			list:  "Weight (kg);1;2;;Zone;Countries\n2;12,50;15,00;;1;EE, LV, LT\n10;18,00;22,00;;2;SE, NO\n",
			want:  "zone-1 zone-2 | 2 12.50 15.00 | 10 18.00 22.00",
			zones: "Zone 1=Estonia|Latvia|Lithuania; Zone 2=Norway|Sweden"},
		{name: "key lines without heads",
			list: "kg,Zone A,Zone B\n2,12.50,15.00\n10,18.00,22.00\nZone A: ,\"Estonia, Latvia\"\n" +
				"Zone B,\"Sweden, Norway\"\n",
			want:  "zone-a zone-b | 2 12.50 15.00 | 10 18.00 22.00",
			zones: "Zone A=Estonia|Latvia; Zone B=Norway|Sweden"},
		{name: "a country on each line of the key",
			list: "Weight,Zone 1,Zone 2\nup to 2 kg,12.50,15.00\nup to 10 kg,18.00,22.00\n\nCountry,Zone\n" +
				"Estonia,1\nLatvia,1\nSweden,2\nNorway,2\n",
			want:  "zone-1 zone-2 | 2 12.50 15.00 | 10 18.00 22.00",
			zones: "Zone 1=Estonia|Latvia; Zone 2=Norway|Sweden"},
		{name: "countries in a second head row",
			list:  "Weight;Zone 1;Zone 2\n;EE, LV;SE, NO\n2;12,50;15,00\n10;18,00;22,00\n",
			want:  "zone-1 zone-2 | 2 12.50 15.00 | 10 18.00 22.00",
			zones: "Zone 1=Estonia|Latvia; Zone 2=Norway|Sweden"},
		{name: "places in the name of the zone",
			list:  "kg,\"Zone 1 (EE, LV)\",\"Zone 2 (SE, NO)\"\n2,12.50,15.00\n10,18.00,22.00\n",
			want:  "zone-1 zone-2 | 2 12.50 15.00 | 10 18.00 22.00",
			zones: "Zone 1=Estonia|Latvia; Zone 2=Norway|Sweden"},
		{name: "a block for each zone beneath one another",
			list: "Finland\nWeight;Price\nup to 2 kg;6,90\nup to 10 kg;9,90\n\nSweden\nWeight;Price\n" +
				"up to 2 kg;12,00\nup to 10 kg;15,00\n",
			want:  "finland sweden | 2 6.90 12.00 | 10 9.90 15.00",
			zones: "Sweden=Sweden"},
		{name: "sections without heads",
			list: "Weight;Price\nFinland\nup to 2 kg;6,90\nup to 10 kg;9,90\nSweden\nup to 2 kg;12,00\n" +
				"up to 10 kg;15,00\n",
			want:  "finland sweden | 2 6.90 12.00 | 10 9.90 15.00",
			zones: "Sweden=Sweden"},
		{name: "blocks side by side",
			list: "Finland;;;Sweden;\nWeight;Price;;Weight;Price\nup to 2 kg;6,90;;up to 2 kg;12,00\n" +
				"up to 10 kg;9,90;;up to 10 kg;15,00\n",
			want:  "finland sweden | 2 6.90 12.00 | 10 9.90 15.00",
			zones: "Sweden=Sweden"},
		{name: "blocks side by side, no gap", list: "kg;Finland;kg;Sweden\n2;6,90;2;12,00\n10;9,90;10;15,00\n",
			want:  "finland sweden | 2 6.90 12.00 | 10 9.90 15.00",
			zones: "Sweden=Sweden"},
		{name: "services beneath one another",
			list: "Standard\nkg;Finland;Sweden\n2;6,90;12,00\n10;9,90;15,00\n\nExpress\nkg;Finland;Sweden\n" +
				"2;16,90;22,00\n10;19,90;25,00\n",
			want:  "finland sweden | 2 6.90 12.00 | 10 9.90 15.00",
			zones: "Sweden=Sweden",
			asks:  "list"},
		{name: "postcodes in a column", list: "Land;PLZ;bis kg;Preis\nDE;01-09;5;7,90\nDE;10*;5;8,90\nDE;*;5;6,90\n",
			want:  "de-01000-to-09999 de-10 germany | 5 7.90 8.90 6.90",
			zones: "DE 01000 to 09999=DE 01000 to 09999; DE 10*=DE 10*; Germany=Germany"},
		{name: "postcode groups across", list: "kg;20–21;33*;00-19\n2;6,90;7,90;5,90\n10;9,90;10,90;7,90\n",
			want:  "fi-20000-to-21999 fi-33 fi-00000-to-19999 | 2 6.90 7.90 5.90 | 10 9.90 10.90 7.90",
			zones: "FI 20000 to 21999=FI 20000 to 21999; FI 33*=FI 33*; FI 00000 to 19999=FI 00000 to 19999"},
		{name: "country codes together",
			list:  "Zone,to,price\n\"EE, LV\",2,6.90\n\"EE, LV\",10,9.90\nSE,2,8.90\nSE,10,11.90\n",
			want:  "estonia-and-1-more sweden | 2 6.90 8.90 | 10 9.90 11.90",
			zones: "Estonia and 1 more=Estonia|Latvia; Sweden=Sweden"},
		{name: "german names",
			list: "Gewicht (kg);Deutschland;Österreich;Schweiz\nbis 2;6,90;9,90;19,90\nbis 10;9,90;14,90;29,90\n" +
				"Alle Preise zzgl. MwSt.\n",
			want:  "germany austria switzerland | 2 6.90 9.90 19.90 | 10 9.90 14.90 29.90",
			zones: "Germany=Germany; Austria=Austria; Switzerland=Switzerland",
			asks:  "tax"},
		{name: "swedish names",
			list:  "Vikt;Sverige;Finland;Norge\n0-2 kg;69,00;99,00;109,00\n2-10 kg;99,00;129,00;149,00\n",
			want:  "sweden finland norway | 2 69.00 99.00 109.00 | 10 99.00 129.00 149.00",
			zones: "Sweden=Sweden; Norway=Norway"},
		{name: "fuel column", list: "Zone,to kg,price,Fuel %\nFinland,2,6.90,12\nFinland,10,9.90,12\n",
			want: "finland | 2 6.90 | 10 9.90",
			asks: "surcharge"},
		{name: "fuel note",
			list:  "kg,Finland,Sweden\n2,6.90,12.00\n10,9.90,15.00\nFuel surcharge 14.5 % is added monthly\n",
			want:  "finland sweden | 2 6.90 12.00 | 10 9.90 15.00",
			zones: "Sweden=Sweden",
			asks:  "surcharge"},
		{name: "base and per kg", list: "Country,Base price,Per kg\nFinland,5.00,0.80\nSweden,9.00,1.10\n",
			want:  "finland sweden |  5.00 + 0.80 per kg 9.00 + 1.10 per kg",
			zones: "Sweden=Sweden"},
		{name: "first kg and further",
			list: "Zone;First kg;Each additional kg\nFinland;6,90;0,80\nSweden;12,00;1,50\n",
			want: "finland sweden | 1 6.90 12.00 | " +
				" 6.90 + 0.80 per started kg above 1 12.00 + 1.50 per started kg above 1",
			zones: "Sweden=Sweden"},
		{name: "per 100 kg", list: "Weight;Finland;Sweden\n0-30 kg;25,00;35,00\nper 100 kg;60,00;80,00\n",
			want:  "finland sweden | 30 25.00 35.00 |  60.00 per 100 kg 80.00 per 100 kg",
			zones: "Sweden=Sweden",
			asks:  "steps"},
		{name: "flat", list: "Country,Price\nFI,6.90\nSE,12.00\nRest of world,25.00\n",
			want:  "finland sweden everywhere |  6.90 12.00 25.00",
			zones: "Sweden=Sweden; everywhere=everywhere"},
		{name: "order value",
			list:  "Order value,Finland,Sweden\n0-49.99,5.90,9.90\n50-99.99,3.90,7.90\n100+,free,5.90\n",
			want:  "finland sweden | 49.99 5.90 9.90 | 99.99 3.90 7.90 |  free 5.90",
			zones: "Sweden=Sweden"},
		{name: "quantities", list: "Items;Finland;Sweden\n1-2;5,90;9,90\n3-5;7,90;12,90\n6+;9,90;15,90\n",
			want:  "finland sweden | 2 5.90 9.90 | 5 7.90 12.90 |  9.90 15.90",
			zones: "Sweden=Sweden"},
		{name: "distance", list: "Distance;Price\n0-5 km;4,90\n5-15 km;7,90\n",
			want: "",
			asks: "destination", refused: 2},
		{name: "grams without a unit",
			list:  "Weight;Finland;Sweden\n500;6,90;9,90\n1000;7,90;10,90\n2000;9,90;12,90\n",
			want:  "finland sweden | 500 6.90 9.90 | 1000 7.90 10.90 | 2000 9.90 12.90",
			zones: "Sweden=Sweden",
			asks:  "unit"},
		{name: "one thousand or one", list: "Weight,Finland\n1.000,5\n2.000,7\n5.000,9\n",
			want: "",
			asks: "decimal", refused: 3},
		{name: "one thousand or one with a hint", list: "Weight;Finland\n1.000;5,50\n2.000;7,50\n5.000;9,50\n",
			want: "",
			asks: "decimal", refused: 3},
		{name: "repeated heads",
			list:  "kg;Finland;Sweden\n1;5,90;8,90\n2;6,90;9,90\nkg;Finland;Sweden\n5;7,90;10,90\n10;9,90;12,90\n",
			want:  "finland sweden | 1 5.90 8.90 | 2 6.90 9.90 | 5 7.90 10.90 | 10 9.90 12.90",
			zones: "Sweden=Sweden"},
		{name: "blank lines between",
			list:  "kg;Finland;Sweden\n\n1;5,90;8,90\n2;6,90;9,90\n\n5;7,90;10,90\n10;9,90;12,90\n",
			want:  "finland sweden | 1 5.90 8.90 | 2 6.90 9.90 | 5 7.90 10.90 | 10 9.90 12.90",
			zones: "Sweden=Sweden"},
		{name: "delivery times beside",
			list:  "Zone;Transit days;0-2 kg;2-5 kg\nFinland;1-2;5,90;8,90\nSweden;3-4;6,90;9,90\n",
			want:  "finland sweden | 2 5.90 6.90 | 5 8.90 9.90",
			zones: "Sweden=Sweden"},
		{name: "zone and country columns",
			list:  "Zone,Country,0-2 kg,2-5 kg\n1,Estonia,5.90,8.90\n2,Sweden,6.90,9.90\n",
			want:  "zone-1 zone-2 | 2 5.90 6.90 | 5 8.90 9.90",
			zones: "Zone 1=Estonia; Zone 2=Sweden"},
		{name: "tabs and currency words",
			list:  "Paino\tSuomi\tRuotsi\nenintään 2 kg\t6,90 €\t12,00 €\nenintään 10 kg\t9,90 €\t15,00 €\n",
			want:  "finland sweden | 2 6.90 12.00 | 10 9.90 15.00",
			zones: "Sweden=Sweden"},
		{name: "units in second row", list: "Weight;Finland;Sweden\nkg;EUR;EUR\n2;6,90;12,00\n10;9,90;15,00\n",
			want:  "finland sweden | 2 6.90 12.00 | 10 9.90 15.00",
			zones: "Sweden=Sweden"},
		{name: "under", list: "kg,Finland,Sweden\nunder 2,6.90,12.00\n2-10,9.90,15.00\n",
			want:  "finland sweden | 0 6.90 12.00 | 2 9.90 15.00 | 10 no no",
			zones: "Sweden=Sweden"},
		{name: "lower", list: "Weight from (kg),Finland,Sweden\n0,6.90,12.00\n2,9.90,15.00\n",
			want:  "finland sweden | 0 6.90 12.00 | 2 9.90 15.00",
			zones: "Sweden=Sweden"},
		{name: "zero alone", list: "kg,Finland,Sweden\n0,6.90,12.00\n2,9.90,15.00\n",
			want:  "finland sweden | 0 6.90 12.00 | 2 9.90 15.00",
			zones: "Sweden=Sweden"},
		{name: "footnotes", list: "kg,Finland,Sweden\n2,6.90*,12.00\n10,9.90,15.00\n* not on islands\n",
			want:  "finland sweden | 2 6.90 12.00 | 10 9.90 15.00",
			zones: "Sweden=Sweden",
			asks:  "footnote"},
		{name: "gap", list: "kg,Finland,Sweden\n0-2,6.90,12.00\n3.5-10,9.90,15.00\n",
			want:  "finland sweden | 2 6.90 12.00 | 3.5 no no | 10 9.90 15.00",
			zones: "Sweden=Sweden",
			asks:  "gap gap"},
		{name: "merged title two cells",
			list:  "Valid from,1.1.2027\nkg,Finland,Sweden\n2,6.90,12.00\n10,9.90,15.00\n",
			want:  "finland sweden | 2 6.90 12.00 | 10 9.90 15.00",
			zones: "Sweden=Sweden"},
		{name: "price per kg cells",
			list:  "Weight;Finland;Sweden\nup to 30 kg;15,00;20,00\nover 30 kg;0,80 per kg;1,00/kg\n",
			want:  "finland sweden | 30 15.00 20.00 |  0.80 per kg 1.00 per kg",
			zones: "Sweden=Sweden"},
		{name: "remarks column",
			list: "Country,Weight (kg),Price,Remarks\nFI,2,6.90,\nFI,10,9.90,no islands\nSE,2,12.00,\n" +
				"SE,10,15.00,\n",
			want:  "finland sweden | 2 6.90 12.00 | 10 9.90 15.00",
			zones: "Sweden=Sweden"},
		{name: "euro column heads", list: "Country;Max. weight;Price excl. VAT\nFI;2 kg;6,90\nFI;10 kg;9,90\n",
			want: "finland | 2 6.90 | 10 9.90",
			asks: "tax"},
		{name: "thousands of grams", list: "Weight (g),Finland,Sweden\n\"1,000\",6.90,12.00\n\"2,500\",9.90,15.00\n",
			want: "",
			asks: "decimal", refused: 4},
		{name: "states by postcode prefix with x",
			list:  "country,postal codes,up to,price\nDE,\"20xx, 21xx\",5,8.90\nDE,80*,5,9.90\n",
			want:  "de-20-and-1-more de-80 | 5 8.90 9.90",
			zones: "DE 20* and 1 more=DE 20*|DE 21*; DE 80*=DE 80*"},
		{name: "upper bounds in a head in French",
			list:  "Poids jusqu'à (kg);France;Belgique\n2;8,90;9,90\n10;14,90;16,90\n",
			want:  "france belgium | 2 8.90 9.90 | 10 14.90 16.90",
			zones: "France=France; Belgium=Belgium"},
		{name: "Spanish lines",
			list: "Zona;Peso hasta (kg);Tarifa\nEspaña;2;8,90\nPortugal;2;9,90\nEspaña;10;12,90\n" +
				"Portugal;10;13,90\n",
			want:  "spain portugal | 2 8.90 9.90 | 10 12.90 13.90",
			zones: "Spain=Spain; Portugal=Portugal"},
		{name: "prices with the currency's code",
			list:  "kg,Finland,Sweden\n2,EUR 6.90,EUR 12.00\n10,EUR 9.90,EUR 15.00\n",
			want:  "finland sweden | 2 6.90 12.00 | 10 9.90 15.00",
			zones: "Sweden=Sweden"},
		{name: "500 g and 1 kg in one column",
			list:  "Weight;Finland;Sweden\n0–500 g;4,90;8,90\n500 g – 1 kg;5,90;9,90\n1–5 kg;7,90;12,90\n",
			want:  "finland sweden | 0.5 4.90 8.90 | 1 5.90 9.90 | 5 7.90 12.90",
			zones: "Sweden=Sweden"},
		{name: "free above a sum",
			list: "Order value (EUR);Finland\nup to 50;5,90\n50 to 100;3,90\nover 100;gratis\n",
			want: "finland | 50 5.90 | 100 3.90 |  free"},
		{name: "not offered in words", list: "kg;Finland;Sweden\n2;6,90;auf Anfrage\n10;9,90;n/a\n",
			want:  "finland sweden | 2 6.90 no | 10 9.90 no",
			zones: "Sweden=Sweden"},
		{name: "rest of the world", list: "kg;Finland;EU;Rest of world\n2;6,90;12,00;25,00\n10;9,90;18,00;45,00\n",
			want:  "finland eu everywhere | 2 6.90 12.00 25.00 | 10 9.90 18.00 45.00",
			zones: "everywhere=everywhere"},
		{name: "one column of weights without a word",
			list:  "Country,Weight,Price\nFI,2,6.90\nFI,10,9.90\nSE,2,12.00\nSE,10,15.00\n",
			want:  "finland sweden | 2 6.90 12.00 | 10 9.90 15.00",
			zones: "Sweden=Sweden"},
		{name: "lines of a service each",
			list: "Service,Country,Weight to,Price\nStandard,FI,2,6.90\nStandard,FI,10,9.90\nExpress,FI,2,16.90\n" +
				"Express,FI,10,19.90\n",
			want: "finland | 2 6.90 | 10 9.90",
			asks: "list"},
		{name: "note between the rows",
			list: "kg;Finland;Sweden\n2;6,90;12,00\nHeavy parcels\n10;9,90;15,00\neach further kg;0,80;1,20\n",
			want: "finland sweden | 2 6.90 12.00 | 10 9.90 15.00 | " +
				" 9.90 + 0.80 per started kg above 10 15.00 + 1.20 per started kg above 10",
			zones: "Sweden=Sweden"},
		{name: "price per item", list: "Items,Finland\n1,5.90\n2,7.90\n3,9.90\n",
			want: "finland | 1 5.90 | 2 7.90 | 3 9.90"},
		{name: "two prices, tax beside",
			list: "Country;Weight up to;Price;VAT\nFI;2;6,90;25,5 %\nFI;10;9,90;25,5 %\n",
			want: "finland | 2 6.90 | 10 9.90"},
		{name: "zone table w  country col lists",
			list: "Zone;Länder;bis 2 kg;bis 5 kg;bis 10 kg\n1;DE, AT;6,90;8,90;11,90\n" +
				"2;FR, BE, NL;9,90;12,90;16,90\n3;übrige EU;14,90;18,90;24,90\n",
			want:  "zone-1 zone-2 eu | 2 6.90 9.90 14.90 | 5 8.90 12.90 18.90 | 10 11.90 16.90 24.90",
			zones: "Zone 1=Austria|Germany; Zone 2=Belgium|France|Netherlands"},
		{name: "rows countries, group header merged", list: "Country group;Parcels up to;;\n;2 kg;5 kg;10 kg\n" +
			"Nordics (SE, NO, DK);12,00;15,00;19,00\nBaltics: EE, LV, LT;9,00;11,00;14,00\n",
			want:  "nordics baltics | 2 12.00 9.00 | 5 15.00 11.00 | 10 19.00 14.00",
			zones: "Nordics=Denmark|Norway|Sweden; Baltics=Estonia|Latvia|Lithuania"},
		{name: "weight ranges as min-max cols w  zone col",
			list: "Zone;Min (g);Max (g);Rate\nA;0;500;4,50\nA;501;1000;5,50\nB;0;500;6,50\n" +
				"B;501;1000;7,50\n\nZone A = Finland\nZone B = Sweden, Norway\n",
			want:  "finland zone-b | 0.5 4.50 6.50 | 1 5.50 7.50",
			zones: "Zone B=Norway|Sweden"},
		{name: "two tables different measures",
			list: "By weight\nkg;Finland\n2;6,90\n10;9,90\n\nBy order value\nOrder value;Finland\n" +
				"50;5,90\n" +
				"100;0\n",
			want: "finland | 2 6.90 | 10 9.90",
			asks: "list"},
		{name: "price in cents header", list: "Weight (kg),Finland (cents)\n2,690\n10,990\n",
			want: "finland | 2 6.90 | 10 9.90"},
		{name: "html",
			list: "<html><body><h1>Prices</h1><table><tr><th rowspan=2>Weight</th><th colspan=2>" +
				"Price</th></tr><tr><th>Finland</th><th>Sweden</th></tr><tr><td>0-2 kg</td><td>" +
				"6,90 &euro;</td><td>12,00 &euro;</td></tr><tr><td>2-10 kg</td><td>9,90 &euro;</td>" +
				"<td>15,00 &euro;</td></tr></table></body></html>\n",
			want:  "finland sweden | 2 6.90 12.00 | 10 9.90 15.00",
			zones: "Sweden=Sweden"},
		{name: "tsv pasted", list: "Destination\tUp to 1 kg\tUp to 5 kg\tEach extra kg\nFinland\t5.90\t8.90\t0.70\n" +
			"Estonia, Latvia\t9.90\t13.90\t1.10\n",
			want: "finland estonia-and-1-more | 1 5.90 9.90 | 5 8.90 13.90 | " +
				" 8.90 + 0.70 per started kg above 5 13.90 + 1.10 per started kg above 5",
			zones: "Estonia and 1 more=Estonia|Latvia"},
		{name: "max weight note col",
			list: "Country,Max weight (kg),Price (EUR),Transit time (days)\nFinland,35,9.90,1\n" +
				"Sweden,35,15.90,2-3\n",
			want:  "finland sweden | 35 9.90 15.90",
			zones: "Sweden=Sweden"},
		{name: "negative discount", list: "kg,Finland,Discount\n2,6.90,-5%\n10,9.90,-5%\n",
			want: "finland | 2 6.90 | 10 9.90",
			asks: "surcharge"},
		{name: "zero means not offered", list: "kg,Finland,Sweden\n2,6.90,0\n10,9.90,0\n",
			want:  "finland sweden | 2 6.90 free | 10 9.90 free",
			zones: "Sweden=Sweden",
			asks:  "free"},
		{name: "uppercase band & trailing plus",
			list:  "WEIGHT BAND,FI,SE\n0 - 1KG,5.9,8.9\n1 - 5KG,6.9,9.9\n5KG+,9.9,15.9\n",
			want:  "finland sweden | 1 5.90 8.90 | 5 6.90 9.90 |  9.90 15.90",
			zones: "Sweden=Sweden"},
		{name: "half kilo steps",
			list: "Weight (kg);Zone 1;Zone 2;Zone 3\n0,5;11,00;13,00;15,00\n1,0;12,00;14,00;16,50\n" +
				"1,5;13,00;15,00;18,00\n2,0;14,00;16,00;19,50\nZone 1: DE, AT, CH\nZone 2: FR, IT, ES\n" +
				"Zone 3: SE, NO, FI\n",
			want: "zone-1 zone-2 zone-3 | 0.5 11.00 13.00 15.00 | 1 12.00 14.00 16.50 | " +
				"1.5 13.00 15.00 18.00 | 2 14.00 16.00 19.50",
			zones: "Zone 1=Austria|Germany|Switzerland; Zone 2=France|Italy|Spain; " +
				"Zone 3=Finland|Norway|Sweden"},
		{name: "price per parcel with currency column",
			list:  "Country,Weight to,Price,Currency\nFI,2,6.90,EUR\nSE,2,12.00,EUR\n",
			want:  "finland sweden | 2 6.90 12.00",
			zones: "Sweden=Sweden"},
		{name: "currency column foreign", list: "Country,Weight to,Price,Currency\nFI,2,6.90,USD\nSE,2,12.00,USD\n",
			want: "",
			asks: "currency"},
		{name: "lines with from only per zone",
			list: "Zone;ab kg;Preis\nFinland;0;5,90\nFinland;5;8,90\nFinland;10;12,90\n",
			want: "finland | 0 5.90 | 5 8.90 | 10 12.90"},
		{name: "shipping by items",
			list: "Number of items,First item,Each additional item\nFinland,4.00,1.50\n" +
				"Sweden,8.00,2.50\n",
			want: "finland sweden | 1 4.00 8.00 | " +
				" 4.00 first item, 1.50 each next 8.00 first item, 2.50 each next",
			zones: "Sweden=Sweden"},
		{name: "percent of order", list: "Country,Order value to,Charge\nFI,100,5 %\nFI,500,3 %\n",
			want: "finland | 100 5 % of goods | 500 3 % of goods"},
		{name: "band words mixed lang",
			list: "Paketgewicht;Inland;EU-Länder\nbis 2 kg;5,49;13,99\nüber 2 bis 5 kg;6,99;15,99\n" +
				"über 5 bis 10 kg;10,49;20,99\nüber 10 bis 31,5 kg;19,99;43,99\n",
			want: "finland eu | 2 5.49 13.99 | 5 6.99 15.99 | 10 10.49 20.99 | 31.5 19.99 43.99"},
		{name: "french",
			list: "Poids;France métropolitaine;Belgique;Suisse\nJusqu'à 0,5 kg;5,25 €;12,55 €;17,20 €\n" +
				"De 0,5 à 1 kg;7,35 €;15,35 €;19,90 €\nDe 1 à 2 kg;8,65 €;17,45 €;21,45 €\n",
			want:  "france belgium switzerland | 0.5 5.25 12.55 17.20 | 1 7.35 15.35 19.90 | 2 8.65 17.45 21.45",
			zones: "France=France; Belgium=Belgium; Switzerland=Switzerland"},
		{name: "spanish", list: "Peso;Península;Portugal\nHasta 1 kg;5,10 €;6,20 €\nDe 1 a 3 kg;6,30 €;7,40 €\n" +
			"Más de 3 kg;9,90 €;11,50 €\n",
			want:  "portugal | 1 6.20 | 3 7.40 |  11.50",
			zones: "Portugal=Portugal",
			asks:  "zone", refused: 3},
		{name: "zones in another table of a page",
			list: "<table><tr><td>Menu<td>About</table><table><tr><th>kg<th>Zone 1" +
				"<th>Zone 2</tr><tr><td>0-2<td>7,00<td>9,00</tr><tr><td>2-5<td>8,00<td>11,00</tr></table>" +
				"<table><tr><th>Zone<th>Countries<tr><td>1<td>Estonia, Latvia<tr>" +
				"<td>2<td>Sweden</table>",
			want:  "zone-1 zone-2 | 2 7.00 9.00 | 5 8.00 11.00",
			zones: "Zone 1=Estonia|Latvia; Zone 2=Sweden"},
		{name: "sizes of parcels", list: "Parcel;Finland;Sweden\nS (0–2 kg);6,90;12,00\nM (2–5 kg);8,90;15,00\n",
			want: "finland sweden | 2 6.90 12.00 | 5 8.90 15.00", zones: "Sweden=Sweden"},
		{name: "the zone once for several lines", list: "Zone;bis kg;Preis\nFinland;2;6,90\n;5;8,90\n" +
			"Sweden;2;12,00\n;5;15,00\n",
			want: "finland sweden | 2 6.90 12.00 | 5 8.90 15.00", zones: "Sweden=Sweden", asks: "above"},
		{name: "last year's change beside", list: "kg;Finland;Change\n2;6,90;+3,5%\n5;8,90;+2,1%\n",
			want: "finland | 2 6.90 | 5 8.90"},
		{name: "services below zones", list: "Weight;Finland;;Sweden;\n;Standard;Express;Standard;Express\n" +
			"2 kg;6,90;9,90;12,00;18,00\n5 kg;8,90;11,90;15,00;22,00\n",
			want:  "finland sweden | 2 6.90 12.00 | 5 8.90 15.00",
			zones: "Sweden=Sweden", asks: "list"},
		{name: "a surcharge below from and to", list: "From kg;To kg;Finland\n0;2;6,90\n2;5;8,90\n" +
			"Fuel surcharge;;8,5 %\n",
			want: "finland | 2 6.90 | 5 8.90", asks: "surcharge"},
	} {
		r, got := made(t, storetest.Lauha(t), c.list)
		var zones, asks []string
		refused := 0
		if r.Plan != nil {
			for i, z := range r.Plan.Zones {
				if r.Plan.New[i] {
					zones = append(zones, z.Name+"="+wordsOf(z.Places))
				}
			}
			for _, l := range r.Plan.Lines {
				if l.Status == Refused || l.Status == Contradicts {
					refused++
				}
			}
		}
		for _, a := range r.Asks {
			asks = append(asks, a.Code)
		}
		assert.Equal(t, c.want, got, c.name)
		assert.Equal(t, c.zones, strings.Join(zones, "; "), c.name)
		assert.Equal(t, c.asks, strings.Join(asks, " "), c.name)
		assert.Equal(t, c.refused, refused, c.name)
	}
}
