"""The functions that an expression may call. One list for what is allowed and for what the builder offers.

All are worked out row by row and can neither reach outside nor make values of unbounded size.
"""

from __future__ import annotations

from typing import NamedTuple


class Function(NamedTuple):
    """`form` is how a call is written; `says` what it gives."""

    group: str
    name: str
    form: str
    says: str


_TOLD = """
numbers   | round    | round(x, 2)                 | x to that many decimals
numbers   | abs      | abs(x)                      | x without its sign
numbers   | floor    | floor(x)                    | the whole number below
numbers   | ceil     | ceil(x)                     | the whole number above
numbers   | sqrt     | sqrt(x)                     | the square root
numbers   | power    | power(x, 2)                 | x to a power; also x ^ 2
numbers   | exp      | exp(x)                      | e to the power of x
numbers   | ln       | ln(x)                       | the natural logarithm
numbers   | log10    | log10(x)                    | the decimal logarithm
numbers   | log2     | log2(x)                     | the binary logarithm
numbers   | sign     | sign(x)                     | -1, 0 or 1
numbers   | mod      | mod(x, 10)                  | what is left after dividing; also x % 10
numbers   | greatest | greatest(a, b)              | the maximum of several
numbers   | least    | least(a, b)                 | the minimum of several
numbers   | pi       | pi()                        | 3.14159...
numbers   | sin      | sin(x)                      | the sine of an angle in radians
numbers   | cos      | cos(x)                      | the cosine of an angle in radians
numbers   | tan      | tan(x)                      | the tangent of an angle in radians
numbers   | asin     | asin(x)                     | the angle, in radians, with this sine
numbers   | acos     | acos(x)                     | the angle, in radians, with this cosine
numbers   | atan     | atan(x)                     | the angle, in radians, with this tangent
numbers   | atan2    | atan2(y, x)                 | the angle, in radians, of a direction
numbers   | radians  | radians(x)                  | degrees as radians
numbers   | degrees  | degrees(x)                  | radians as degrees
numbers   | isnan    | isnan(x)                    | whether x is not a number
numbers   | isfinite | isfinite(x)                 | whether x is a finite number
text      | lower    | lower(t)                    | in small letters
text      | upper    | upper(t)                    | in capitals
text      | trim     | trim(t)                     | without blanks at both ends
text      | length   | length(t)                   | how many characters
text      | left     | left(t, 3)                  | the first characters
text      | right    | right(t, 3)                 | the last characters
text      | substring| substring(t, 2, 3)          | characters from a place on
text      | replace  | replace(t, 'old', 'new')    | with every 'old' made 'new'
text      | contains | contains(t, 'bay')          | whether the text holds another
text      | starts_with | starts_with(t, 'H')      | whether it begins so
text      | ends_with | ends_with(t, 'y')          | whether it ends so
text      | chr      | chr(10)                     | the character with that number; 10 begins a new line
text      | concat   | concat(a, ' ', b)           | several after each other
text      | split_part | split_part(t, '-', 1)     | one piece of a text parted at a mark
text      | regexp_matches | regexp_matches(t, '^H.*y$') | whether a pattern fits
text      | regexp_extract | regexp_extract(t, '[0-9]+') | what a pattern finds
text      | regexp_replace | regexp_replace(t, '[0-9]', '#') | with what a pattern finds made another
text      | strpos   | strpos(t, 'bay')            | where another text begins; 0 for nowhere
missing   | coalesce | coalesce(a, b, 0)           | the first that is not missing
missing   | nullif   | nullif(x, -9999)            | missing where x is this value
missing   | if       | if(x > 5, 'high', 'low')    | one of two; also CASE WHEN ... THEN ... ELSE ... END
dates     | year     | year(d)                     | the year of a date
dates     | month    | month(d)                    | the month, 1 to 12
dates     | day      | day(d)                      | the day of the month
dates     | hour     | hour(d)                     | the hour
dates     | minute   | minute(d)                   | the minute
dates     | second   | second(d)                   | the second
dates     | dayofyear| dayofyear(d)                | the day of the year
dates     | date_diff| date_diff('day', a, b)      | how many days, months, years lie between
dates     | date_trunc | date_trunc('month', d)    | the begin of the month, year, day
dates     | date_part | date_part('week', d)       | a part of a date by its name
dates     | strftime | strftime(d, '%d %b %Y')     | a date as text
dates     | make_date| make_date(2031, 6, 24)      | a date from its parts
all rows  | sum      | sum(x) OVER ()              | the sum of all rows; OVER (PARTITION BY f) of those alike
all rows  | avg      | avg(x) OVER ()              | the mean of all rows
all rows  | min      | min(x) OVER ()              | the minimum of all rows
all rows  | max      | max(x) OVER ()              | the maximum of all rows
all rows  | count    | count(x) OVER ()            | how many rows are not missing
all rows  | median   | median(x) OVER ()           | the median of all rows
all rows  | stddev   | stddev(x) OVER ()           | standard deviation of all rows
all rows  | rank     | rank() OVER (ORDER BY x)    | the place of a row among all
all rows  | row_number | row_number() OVER (ORDER BY x) | a number for each row
all rows  | lag      | lag(x) OVER (ORDER BY d)    | x of the row before
all rows  | lead     | lead(x) OVER (ORDER BY d)   | x of the row after
all rows  | ntile    | ntile(4) OVER (ORDER BY x)  | in which of so many equal shares
geometry  | area_ellipsoid | area_ellipsoid()      | area on the ellipsoid, m²
geometry  | area_plane | area_plane()              | area in the plane of the layer, its units squared
geometry  | length_ellipsoid | length_ellipsoid()  | length, or perimeter, on the ellipsoid, m
geometry  | length_plane | length_plane()          | length, or perimeter, in the plane of the layer
geometry  | centroid_x | centroid_x('EPSG:4326')   | x of the centroid, in the layer's CRS or in another
geometry  | centroid_y | centroid_y('EPSG:4326')   | y of the centroid, in the layer's CRS or in another
geometry  | vertices | vertices()                  | how many vertices
"""


def _listed(line: str) -> Function:
    group, name, rest = line.split("|", 2)
    form, says = rest.rsplit("|", 1)
    return Function(group.strip(), name.strip(), form.strip(), says.strip())


FUNCTIONS = tuple(map(_listed, _TOLD.strip().splitlines()))
MEASURES = frozenset(f.name for f in FUNCTIONS if f.group == "geometry")

_OPERATORS = """
+ - * / // % ^ ** || = <> ~~ !~~ ~~* !~~* ~~~ & | ~ << >> not_like_escape like_escape ilike_escape not_ilike_escape
"""
_ALSO = """
ceiling pow mean substr first_value last_value dense_rank percent_rank cume_dist nth_value stddev_samp
stddev_pop variance var_samp var_pop len char_length character_length ltrim rtrim position add subtract multiply
divide date_sub datesub datediff datetrunc datepart week quarter dayofweek epoch isinf ifnull log truncate trunc
cbrt cot prefix suffix instr strptime today now current_date quantile_cont regexp_full_match reverse ascii
count_star bit_count even gcd lcm list_value
"""  # other spellings, and what the parser makes of syntax
ALLOWED = frozenset([*(f.name for f in FUNCTIONS if f.group != "geometry"), *_OPERATORS.split(), *_ALSO.split()])
