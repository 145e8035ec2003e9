package auth

// Event is a kind of what happens to the locks of a shop, as it is kept for its owners.
type Event string

// The kinds of events.
const (
	Started            Event = "shop_started"          // the first owner
	SignedIn           Event = "signed_in"             //
	SignInRefused      Event = "sign_in_refused"       // a name and a passphrase that do not belong together
	SignInHeldOff      Event = "sign_in_held_off"      // too many attempts
	SignedOut          Event = "signed_out"            //
	PassphraseChanged  Event = "passphrase_changed"    //
	PassphraseRefused  Event = "passphrase_refused"    // one's own, typed wrongly to change it
	PassphraseReplaced Event = "passphrase_replaced"   // on the machine itself, by diadrom recover
	CodeRefused        Event = "code_refused"          // of a second factor
	FactorAdded        Event = "second_factor_added"   //
	FactorRemoved      Event = "second_factor_removed" //
	RecoveryUsed       Event = "recovery_code_used"    // in place of a second factor
	SessionEnded       Event = "session_ended"         // one's own, elsewhere
	PersonAdded        Event = "person_added"          //
	PersonActivated    Event = "person_activated"      //
	PersonDeactivated  Event = "person_deactivated"    //
	KeyMade            Event = "key_made"              //
	KeyRevoked         Event = "key_revoked"           //
	SigningReplaced    Event = "signing_key_replaced"  // of held quotes
	Published          Event = "published"             // an edition
	EditionsRemoved    Event = "editions_removed"      // their store files
	ServiceSet         Event = "service_set"           // whose answers count in live quotes
	Forbidden          Event = "forbidden"             // what only an owner may do
	HostRefused        Event = "host_refused"          // a request under a name that the shop does not answer under
	OriginRefused      Event = "origin_refused"        // a request that another site's page made
	BackupKeyMade      Event = "backup_key_made"       // backups are encrypted from then on
	WebhookAdded       Event = "webhook_added"         //
	WebhookRemoved     Event = "webhook_removed"       //
	WebhookSecret      Event = "webhook_secret"        // a new one
	Restored           Event = "restored"              // a backup, on the machine itself
)

var eventWords = map[Event]string{
	Started:            "started the shop",
	SignedIn:           "signed in",
	SignInRefused:      "was refused: wrong name or passphrase",
	SignInHeldOff:      "was held off: too many attempts",
	SignedOut:          "signed out",
	PassphraseChanged:  "changed their passphrase",
	PassphraseRefused:  "typed their old passphrase wrongly",
	PassphraseReplaced: "got a new passphrase on the server",
	CodeRefused:        "typed a wrong code",
	FactorAdded:        "added a second factor",
	FactorRemoved:      "removed a second factor",
	RecoveryUsed:       "used a recovery code",
	SessionEnded:       "ended a session elsewhere",
	PersonAdded:        "invited",
	PersonActivated:    "activated",
	PersonDeactivated:  "deactivated",
	KeyMade:            "made the API key",
	KeyRevoked:         "revoked the API key",
	SigningReplaced:    "replaced the key that signs held quotes by",
	Published:          "published",
	EditionsRemoved:    "removed",
	ServiceSet:         "set a service",
	Forbidden:          "was refused: for owners only",
	HostRefused:        "asked under a name that is not this shop's",
	OriginRefused:      "was sent by a page of another site",
	BackupKeyMade:      "had backups be encrypted from now on",
	WebhookAdded:       "added the webhook",
	WebhookRemoved:     "removed the webhook",
	WebhookSecret:      "made a new secret for the webhook",
	Restored:           "restored a backup on the server",
}

// String says an event in words that follow a name.
func (e Event) String() string {
	if words, ok := eventWords[e]; ok {
		return words
	}
	return string(e)
}
