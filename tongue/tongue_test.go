package tongue

import "testing"

func TestRead(t *testing.T) {
	all, err := All()
	if err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct{ code, english, want string }{
		{"en", "2:21 over plan", "2:21 over plan"},
		{"es", "2:21 over plan", "2:21 más de lo previsto"},
		{"fr", "Meal 12 min late", "Repas 12 min en retard"},
		{"es", "Start by hand, 5 min earlier", "Inicio a mano, 5 min antes"},
		{"es", "Fri 13 Nov 07:58", "vie 13 nov 07:58"},
		{"fr", "25 Oct – 7 Nov", "25 oct. – 7 nov."},
		{"fr", "Week of 8 November", "Semaine du 8 novembre"},
		{"es", "That task of 2226 Kilometre plates is worked as “Cut”", "Esa tarea de 2226 Kilometre plates se trabaja como «Cut»"},
		{"es", "The note is empty. Write what the office should know.", "La nota está vacía. Escribe lo que la oficina debe saber."},
		{"fr", "Signed Friday 13 November.", "Signé : vendredi 13 novembre."},
		{"es", "Nothing says this", "Nothing says this"},
		{"es", "May Brandt", "May Brandt"},
		{"fr", "", ""},
	} {
		if got := all[c.code].Read(c.english); got != c.want {
			t.Errorf("%s, %q: %q, want %q", c.code, c.english, got, c.want)
		}
	}
	es, missed := all["es"], ""
	es.Missed = func(s string) { missed += s + "; " }
	if got := es.Say("Hello %s", "100% Ana"); got != "Hola, 100% Ana" {
		t.Errorf("said %q", got)
	}
	es.Say("Nobody says %s", "this")
	es.Read("Nor that")
	if missed != "Nobody says %s; Nor that; " {
		t.Errorf("missed %q", missed)
	}
	if got := string(es.Bold("*%s* %s worked", "<i>", "8:15*")); got != "<b>&lt;i&gt;</b> 8:15&#42; trabajadas" {
		t.Errorf("in bold %s", got)
	}
}

func TestMatch(t *testing.T) {
	for accept, want := range map[string]string{"": "en", "de-DE,de;q=0.9": "en", "es-MX,es;q=0.9,en;q=0.8": "es", "fr-CA": "fr",
		"de, fr;q=0.7, en;q=0.3": "fr", "not a language at all;;": "en"} {
		if got := Match(accept); got != want {
			t.Errorf("%q is %s, want %s", accept, got, want)
		}
	}
}

// What isn't in the catalogue stays as it is, however it ends.
func TestUnknownSentencesStay(t *testing.T) {
	all, err := All()
	if err != nil {
		t.Fatal(err)
	}
	for code, tongue := range all {
		for _, text := range []string{"n.", "Nobody knows this sentence.", "One. Two.", ".", ". .", "..", "a. "} {
			if got := tongue.Word(text); got != text {
				t.Errorf("%s: %q is read as %q", code, text, got)
			}
		}
	}
}
