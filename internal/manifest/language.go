package manifest

import (
	"slices"
	"sort"
	"strings"

	"golang.org/x/text/language"
)

// canonicalLanguage gives a language tag its canonical form (ECMA-402, 6.2: structurally valid, then canonicalised);
// ok is false for what has not the form of one. Whether the subtags are registered does not matter.
func canonicalLanguage(text string) (tag string, ok bool) {
	parts := strings.Split(strings.ToLower(text), "-")
	alpha := func(s string, low, high int) bool {
		return len(s) >= low && len(s) <= high && strings.Trim(s, "abcdefghijklmnopqrstuvwxyz") == ""
	}
	alnum := func(s string, low, high int) bool {
		return len(s) >= low && len(s) <= high && strings.Trim(s, "abcdefghijklmnopqrstuvwxyz0123456789") == ""
	}
	base := parts[0]
	if !alpha(base, 2, 3) && !alpha(base, 5, 8) {
		return "", false
	}
	rest := parts[1:]
	script, region := "", ""
	if len(rest) > 0 && alpha(rest[0], 4, 4) {
		script = strings.ToUpper(rest[0][:1]) + rest[0][1:]
		rest = rest[1:]
	}
	if len(rest) > 0 && (alpha(rest[0], 2, 2) || len(rest[0]) == 3 && strings.Trim(rest[0], "0123456789") == "") {
		region = strings.ToUpper(rest[0])
		rest = rest[1:]
	}
	var variants []string
	for len(rest) > 0 && (alnum(rest[0], 5, 8) || alnum(rest[0], 4, 4) && rest[0][0] >= '0' && rest[0][0] <= '9') {
		if slices.Contains(variants, rest[0]) {
			return "", false
		}
		variants = append(variants, rest[0])
		rest = rest[1:]
	}
	if script == "Qaai" {
		script = "Zinh"
	}
	base, region, variants = canonicalVariants(base, region, variants)
	base, script, region = canonicalSubtags(base, script, region)
	out := []string{base}
	for _, subtag := range append([]string{script, region}, variants...) {
		if subtag != "" {
			out = append(out, subtag)
		}
	}
	var extensions []string
	for len(rest) > 0 && rest[0] != "x" {
		if !alnum(rest[0], 1, 1) || slices.ContainsFunc(extensions, func(e string) bool { return e[:1] == rest[0] }) {
			return "", false
		}
		n := 1
		for n < len(rest) && alnum(rest[n], 2, 8) {
			n++
		}
		if n == 1 {
			return "", false
		}
		extension := strings.Join(rest[:n], "-")
		if rest[0] == "u" {
			extension = strings.ReplaceAll(extension+"-", "-true-", "-")
			extension = strings.TrimSuffix(extension, "-")
		}
		extensions = append(extensions, extension)
		rest = rest[n:]
	}
	sort.Strings(extensions)
	out = append(out, extensions...)
	if len(rest) > 0 {
		if len(rest) == 1 {
			return "", false
		}
		for _, s := range rest[1:] {
			if !alnum(s, 1, 8) {
				return "", false
			}
		}
		out = append(out, rest...)
	}
	return strings.Join(out, "-"), true
}

// canonicalVariants replaces variants that others have succeeded (UTS 35, annex C), and sorts them.
func canonicalVariants(base, region string, variants []string) (string, string, []string) {
	var out []string
	for _, v := range variants {
		switch v {
		case "arevela":
			base = "hy"
		case "arevmda":
			base = "hyw"
		case "aaland":
			region = "AX"
		case "heploc":
			out = append(out, "alalc97")
		case "polytoni":
			out = append(out, "polyton")
		case "hepburn":
			if !slices.Contains(variants, "heploc") {
				out = append(out, v)
			}
		case "guoyu", "hakka", "xiang", "gaulish", "lojban":
			succeeded := map[string]string{"zh-guoyu": "zh", "zh-hakka": "hak", "zh-xiang": "hsn", "cel-gaulish": "xtg",
				"art-lojban": "jbo"}[base+"-"+v]
			if succeeded == "" {
				out = append(out, v)
			} else {
				base = succeeded
			}
		default:
			out = append(out, v)
		}
	}
	sort.Strings(out)
	return base, region, slices.Compact(out)
}

// languageAliases are languages that today's browsers replace and the library's older release of CLDR does not, or
// otherwise.
var languageAliases = aliases(`
	agp:apf ais:ami baz:nvo bh:bh bhk:fbl bjq:bzc bkb:ebk btb:beb cls:sa cnr:sr-ME daf:dnj dap:njz dek:sqm djl:dze dkl:aqd drw:fa-AF
	dud:uth duj:dwu dwl:dbt elp:amq gbc:wny ggo:esg ggr:gtu gio:aou gom:kok ill:ilm izi:eza jar:jgk jaw:jv kdv:zkd kgd:ncq knn:knn
	kpp:jkm kzh:dgl leg:enl mgx:jbk mnk:mnk mnt:wnn mo:ro mof:xnt mol:ro mwd:dmw nb:nb nbf:nru nbx:gll nln:azd nlr:nrk nob:nb
	noo:dtd nte:eko prs:fa-AF rmr:emx sap:aqt scc:sr scr:hr sgl:isk sul:sgd sum:ulw swc:sw-CD tgg:bjp tid:itd tnf:fa-AF tw:tw
	unp:wro wgw:wgb wit:nol wiw:nwo xsj:suj yen:ynq yiy:yrm`)

// regionAliases are the same of regions. Of several successors it is the one where the language is likely spoken, or
// the first.
var regionAliases = aliases(`
	AN:CW FQ:AQ NT:SA PC:FM 062:034 200:CZ 530:CW 532:CW 536:SA 582:FM 830:JE 961:961
	SU:RU,AM,AZ,BY,EE,GE,KZ,KG,LV,LT,MD,TJ,TM,UA,UZ 810:RU,AM,AZ,BY,EE,GE,KZ,KG,LV,LT,MD,TJ,TM,UA,UZ
	172:RU,AM,AZ,BY,GE,KG,KZ,MD,TJ,TM,UA,UZ YU:RS,ME 890:RS,ME,SI,HR,MK,BA CS:RS,ME 891:RS,ME`)

// aliases reads pairs such as SU:RU,UA.
func aliases(text string) map[string]string {
	out := map[string]string{}
	for _, pair := range strings.Fields(text) {
		old, successor, _ := strings.Cut(pair, ":")
		out[old] = successor
	}
	return out
}

// canonicalSubtags replaces language and region subtags that others have succeeded (UTS 35, annex C). Both are in the
// case that they are written in; script and region may be missing.
func canonicalSubtags(base, script, region string) (string, string, string) {
	successor := languageAliases[base]
	if successor == "" {
		if tag, err := language.All.Parse(base); err == nil {
			successor = tag.String()
		} else {
			successor = base
		}
	}
	parts := strings.Split(successor, "-")
	base = parts[0]
	for _, part := range parts[1:] {
		switch {
		case len(part) == 4 && script == "":
			script = part
		case len(part) < 4 && region == "":
			region = part
		}
	}
	successors := strings.Split(regionAliases[region], ",")
	switch {
	case region == "":
	case successors[0] == "":
		if r, err := language.ParseRegion(region); err == nil {
			// UN numbers that have a code of letters are replaced by it.
			region = r.Canonicalize().String()
		}
	default:
		likely, _ := language.Make(base).Region()
		if region = successors[0]; slices.Contains(successors, likely.String()) {
			region = likely.String()
		}
	}
	return base, script, region
}
