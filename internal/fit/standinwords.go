package fit

import (
	"strings"

	"tachyform/internal/project"
)

// standInWords are the texts of the page stand-in by language.
var standInWords = map[string]project.Words{
	"en": {Heading: "No connection", Text: "This page can't be had without a network. It opens by itself as soon as there is one.",
		Again: "Try again", Kept: "Kept on this device"},
	"de": {Heading: "Keine Verbindung", Text: "Diese Seite ist ohne Netz nicht zu haben. Sie öffnet sich von selbst, sobald es wieder da ist.",
		Again: "Noch einmal versuchen", Kept: "Auf diesem Gerät vorhanden"},
	"fr": {Heading: "Pas de connexion", Text: "Cette page n’est pas disponible sans réseau. Elle s’ouvrira d’elle-même dès son retour.",
		Again: "Réessayer", Kept: "Gardé sur cet appareil"},
	"es": {Heading: "Sin conexión", Text: "Esta página no está disponible sin red. Se abrirá sola en cuanto la haya.",
		Again: "Intentar de nuevo", Kept: "Guardado en este dispositivo"},
	"it": {Heading: "Nessuna connessione", Text: "Questa pagina non è disponibile senza rete. Si aprirà da sola appena torna.",
		Again: "Riprova", Kept: "Conservato su questo dispositivo"},
	"nl": {Heading: "Geen verbinding", Text: "Deze pagina is zonder netwerk niet beschikbaar. Ze opent vanzelf zodra er weer een is.",
		Again: "Opnieuw proberen", Kept: "Bewaard op dit apparaat"},
	"pt": {Heading: "Sem ligação", Text: "Esta página não está disponível sem rede. Abre-se sozinha assim que houver.",
		Again: "Tentar de novo", Kept: "Guardado neste dispositivo"},
	"sv": {Heading: "Ingen anslutning", Text: "Sidan går inte att visa utan nätverk. Den öppnas av sig själv när det är tillbaka.",
		Again: "Försök igen", Kept: "Sparat på den här enheten"},
	"da": {Heading: "Ingen forbindelse", Text: "Siden kan ikke vises uden netværk. Den åbner af sig selv, når det er tilbage.",
		Again: "Prøv igen", Kept: "Gemt på denne enhed"},
	"pl": {Heading: "Brak połączenia", Text: "Tej strony nie można pokazać bez sieci. Otworzy się sama, gdy tylko sieć wróci.",
		Again: "Spróbuj ponownie", Kept: "Zapisane na tym urządzeniu"},
}

// wordsFor gives the texts of the page stand-in in a language, those of the project file first; lang is the language
// that they are in.
func wordsFor(language string, own project.Words) (words project.Words, lang string) {
	lang, _, _ = strings.Cut(strings.ToLower(language), "-")
	words, known := standInWords[lang]
	if !known {
		words, lang = standInWords["en"], "en"
	}
	if own != (project.Words{}) && language != "" {
		lang = language
	}
	for _, of := range []struct {
		to  *string
		own string
	}{{&words.Heading, own.Heading}, {&words.Text, own.Text}, {&words.Again, own.Again}, {&words.Kept, own.Kept}} {
		if of.own != "" {
			*of.to = of.own
		}
	}
	return words, lang
}
