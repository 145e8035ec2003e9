package main

import (
	"fmt"
	"os/exec"
	"path/filepath"
	"strings"
)

// holidayScript prints country, year and the days from Monday to Friday that date-holidays has as public
// holidays of the whole country; and behind them, in a column of their own, the days it has as bank holidays,
// optional ones and days that are observed.
const holidayScript = `
const bundle = { exports: {} };
const code = require("fs").readFileSync(process.argv[1], "utf8");
new Function("module", "exports", "self", code)(bundle, bundle.exports, globalThis);
const Calendar = bundle.exports.default;
for (const place of process.argv.slice(2)) for (let year = 2024; year <= 2030; year++) {
	const days = [new Set(), new Set()];
	for (const h of new Calendar(...place.split("-")).getHolidays(year)) {
		const date = h.date.slice(0, 10), weekday = new Date(date + "T00:00:00Z").getUTCDay();
		if (date.startsWith(String(year)) && weekday % 6 != 0) days[h.type == "public" ? 0 : 1].add(date.slice(5));
	}
	console.log([place.slice(0, 2), year, ...days.map(d => [...d].sort().join(" "))].join("\t"));
}`

// holidayCountries are those whose holidays the tests compare; England's stand for those of Great Britain.
var holidayCountries = strings.Fields(
	"AT AU BE BR CH CZ DE DK EE ES FI FR GB-ENG GR HR IE IT JP LT LV NC NL NO NZ PL SE SI SK US",
)

// publicHolidays are what date-holidays, which has the rules of each country with their sources, says of some years.
func publicHolidays(dir string) ([]string, error) {
	script := append([]string{"-e", holidayScript, filepath.Join(dir, "dist/umd.min.js")}, holidayCountries...)
	out, err := exec.Command("node", script...).Output()
	if err != nil {
		return nil, fmt.Errorf("node: %w", err)
	}
	return strings.Split(strings.TrimSuffix(string(out), "\n"), "\n"), nil
}
