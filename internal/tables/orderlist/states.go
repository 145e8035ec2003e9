package orderlist

import (
	"strings"

	"diadrom/internal/core/world"
)

// notCancelled are the words of a column of cancelled orders for one that is not, folded.
var notCancelled = []string{"no", "false", "0", "-", "–", "nein", "falsch", "non", "faux", "falso", "ei", "nej"}

// States of orders as shops name them, folded, with whether such orders count: those that were sent or will be do, those
// that were cancelled, refunded or failed do not; common practice, no source.
var states = map[string]bool{}

func init() {
	for _, state := range strings.Split("completed,complete,paid,fulfilled,shipped,delivered,processing,in progress,open,authorized,"+
		"closed,dispatched,sent,invoiced,done,finished,confirmed,new,unfulfilled,active,abgeschlossen,bezahlt,versendet,versandt,"+
		"geliefert,in bearbeitung,offen,verschickt,erledigt,bestatigt,terminee,termine,payee,paye,expediee,expedie,livree,livre,"+
		"en cours,confirmee,completado,pagado,enviado,entregado,procesando,en proceso,confirmado,valmis,maksettu,toimitettu,lahetetty,"+
		"kasittelyssa,vahvistettu,slutford,betald,skickad,levererad,behandlas,bekraftad", ",") {
		states[state] = true
	}
	for _, state := range strings.Split("cancelled,canceled,refunded,failed,voided,void,expired,declined,rejected,storniert,abgebrochen,"+
		"erstattet,fehlgeschlagen,annulee,annule,remboursee,rembourse,echouee,cancelado,anulado,reembolsado,fallido,peruttu,peruutettu,"+
		"hyvitetty,palautettu,epaonnistui,avbruten,avbestalld,aterbetald,makulerad,annullerad,misslyckad", ",") {
		states[state] = false
	}
}

// StateCounts says whether orders in a state count; it is not known of a state that is none of those that shops commonly
// name, such as "partially refunded".
func StateCounts(state string) (counts, known bool) {
	counts, known = states[strings.ReplaceAll(world.Fold(state), "_", " ")]
	return counts, known
}
