package front

import (
	"math"
	"time"
)

// Structured data by schema.org (https://schema.org, JSON-LD 1.1), as far as it fits: an edition is a
// SoftwareApplication whose applicationCategory is an operating system, a scorecard a Review of it on a scale of 0 to
// 100, a ranking an ItemList, a report an Article.

type object map[string]any

// ListData describes a ranking.
func ListData(name, address string, entries []Entry, origin string) any {
	items := []object{}
	for i, e := range entries {
		items = append(items, object{
			"@type": "ListItem", "position": i + 1, "url": origin + e.Address,
			"name": e.Distribution + " " + e.Release + " " + e.Edition,
		})
	}
	return object{
		"@context": "https://schema.org", "@type": "ItemList", "name": name, "url": address,
		"itemListOrder": "https://schema.org/ItemListOrderDescending", "numberOfItems": len(items), "itemListElement": items,
	}
}

// ReviewData describes a scorecard.
func ReviewData(s *Scorecard, team, address string) any {
	review := object{
		"@context": "https://schema.org", "@type": "Review", "url": address,
		"author": object{"@type": "Organization", "name": team},
		"itemReviewed": object{
			"@type": "SoftwareApplication", "applicationCategory": "OperatingSystem",
			"name": s.Distribution + " " + s.Edition, "softwareVersion": s.Release,
		},
	}
	if !s.Accepted.IsZero() {
		review["datePublished"] = s.Accepted.Format(time.DateOnly)
	}
	if s.Overall != nil {
		review["reviewRating"] = object{
			"@type": "Rating", "ratingValue": math.Round(10**s.Overall) / 10, "bestRating": 100, "worstRating": 0,
		}
	}
	return review
}

// ArticleData describes a published report.
func ArticleData(headline, about, address, team, picture string, authors []string, published, revised time.Time) any {
	people := []object{}
	for _, a := range authors {
		people = append(people, object{"@type": "Person", "name": a})
	}
	article := object{
		"@context": "https://schema.org", "@type": "Article", "headline": headline, "url": address,
		"datePublished": published.Format(time.RFC3339), "dateModified": revised.Format(time.RFC3339),
		"author": people, "publisher": object{"@type": "Organization", "name": team},
	}
	if about != "" {
		article["description"] = about
	}
	if picture != "" {
		article["image"] = picture
	}
	return article
}
