"""Words that pictures carry, as XMP."""

from xml.sax.saxutils import escape


def xmp_packet(about) -> bytes:
    """A packet of XMP (ISO 16684-1) with a title and a description.

    Parameters
    ----------
    about : sequence of (str, str)
        Name and words of what is said; that of the product is the title.

    Returns
    -------
    bytes
    """
    title, words = dict(about).get("Product", ""), "; ".join(f"{name}: {text}" for name, text in about)
    plain = [escape(text) for text in (title, words)]
    told = (
        f'<dc:{field}><rdf:Alt><rdf:li xml:lang="x-default">{text}</rdf:li></rdf:Alt></dc:{field}>'
        for field, text in zip(("title", "description"), plain, strict=True)
    )
    return (
        '<?xpacket begin="\ufeff" id="W5M0MpCehiHzreSzNTczkc9d"?>'
        '<rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#"><rdf:Description rdf:about="" '
        f'xmlns:dc="http://purl.org/dc/elements/1.1/">{"".join(told)}</rdf:Description></rdf:RDF>'
        '<?xpacket end="r"?>'
    ).encode()
